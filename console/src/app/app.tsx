import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { change } from "@/api/changes";
import { signedOut as ended, Refusal } from "@/api/client";
import { useQuiet } from "@/api/heard";
import { useLive } from "@/api/live";
import { read } from "@/api/queries";
import { stamp } from "@/domain/time";
import { part } from "@/ui/outdated";
import { Loading, Trouble } from "@/ui/page";
import { SignIn } from "./sign-in";

// Whoever has not signed in yet need not wait for what comes after that.
const SignedIn = lazy(async () => ({ default: (await part(import("./signed-in"))).SignedIn }));

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
      <main className="p-6">
        <Trouble error={session.error} />
      </main>
    );
  }
  if (signedOut && !everSignedIn) return <SignIn />;
  return (
    <Suspense fallback={<Loading />}>
      <SignedIn
        me={session.data}
        held={held === true}
        quiet={quiet ? stamp(quiet) : ""}
        again={signedOut}
        leave={() => setLeaving(true)}
      />
    </Suspense>
  );
}
