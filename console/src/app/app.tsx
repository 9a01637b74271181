import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useLocation } from "react-router";
import { Toaster } from "sonner";
import { signedOut as ended, Refusal } from "@/api/client";
import { useLive } from "@/api/live";
import { read } from "@/api/queries";
import { Loading, Trouble } from "@/ui/page";
import { Broken } from "./broken";
import { Pages } from "./routes";
import { Shell } from "./shell";
import { SignIn, SignInAgain } from "./sign-in";

/** What passes and need not be read again is said in a corner. */
const toasts = {
  unstyled: true,
  classNames: {
    toast:
      "flex w-80 items-center gap-2 rounded-sm border border-hairline border-l-4 bg-sheet px-4 py-2.5 text-ink shadow-xl",
    success: "border-l-green",
    error: "border-l-red",
  },
};

/** The console. When a session ends, the sign-in comes on top of the page, so that nothing typed is lost. */
export function App() {
  const session = useQuery(read.session());
  const signedOut = session.error instanceof Refusal && session.error.status === 401;
  const everSignedIn = session.data !== undefined;
  const rights = session.data?.rights ?? [];
  const connected = useLive(everSignedIn && !signedOut);
  const { pathname } = useLocation();
  const { refetch } = session;
  useEffect(() => {
    const ask = () => void refetch();
    addEventListener(ended, ask);
    return () => removeEventListener(ended, ask);
  }, [refetch]);
  if (session.isPending) return <Loading />;
  if (session.error && !signedOut && !everSignedIn) {
    return (
      <Shell me={undefined} connected>
        <Trouble error={session.error} />
      </Shell>
    );
  }
  if (signedOut && !everSignedIn) return <SignIn />;
  return (
    <Shell me={session.data} connected={connected}>
      <Broken key={pathname}>
        <Pages rights={rights} />
      </Broken>
      {signedOut && <SignInAgain />}
      <Toaster position="bottom-right" toastOptions={toasts} style={{ fontFamily: "inherit" }} />
    </Shell>
  );
}
