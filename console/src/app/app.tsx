import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useLocation } from "react-router";
import { Toaster } from "sonner";
import { change } from "@/api/changes";
import { signedOut as ended, Refusal } from "@/api/client";
import { useQuiet } from "@/api/heard";
import { useLive } from "@/api/live";
import { read } from "@/api/queries";
import { stamp } from "@/domain/time";
import { Loading, Trouble } from "@/ui/page";
import { Broken } from "./broken";
import { OnlyMe, Pages } from "./routes";
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

/** Ends the session once every page has gone, so that none of them asks for anything more. */
function Leaving() {
  useEffect(() => {
    // Where the session has ended already, or the service is gone, the page is left all the same.
    void change
      .signOut()
      .catch(() => undefined)
      .then((left) => location.assign(left?.next || "/")); // nothing of the session stays in the page
  }, []);
  return <Loading />;
}

/** The console. When a session ends, the sign-in comes on top of the page, so that nothing typed is lost. */
export function App() {
  const session = useQuery(read.session());
  const signedOut = session.error instanceof Refusal && session.error.status === 401;
  const everSignedIn = session.data !== undefined;
  const [leaving, setLeaving] = useState(false);
  const held = session.data && (session.data.needs_second_factor || session.data.must_change_password);
  const here = everSignedIn && !held && !signedOut && !leaving;
  useLive(here);
  const quiet = useQuiet(here);
  const { pathname } = useLocation();
  const { refetch } = session;
  useEffect(() => {
    const ask = () => void refetch();
    addEventListener(ended, ask);
    return () => removeEventListener(ended, ask);
  }, [refetch]);
  if (leaving) return <Leaving />;
  if (session.isPending) return <Loading />;
  if (session.error && !signedOut && !everSignedIn) {
    return (
      <Shell me={undefined}>
        <Trouble error={session.error} />
      </Shell>
    );
  }
  if (signedOut && !everSignedIn) return <SignIn />;
  return (
    <Shell me={session.data} quiet={quiet ? stamp(quiet) : ""} onLeave={() => setLeaving(true)}>
      <Broken key={pathname}>{session.data && held ? <OnlyMe me={session.data} /> : <Pages />}</Broken>
      {signedOut && <SignInAgain />}
      <Toaster position="bottom-right" toastOptions={toasts} style={{ fontFamily: "inherit" }} />
    </Shell>
  );
}
