import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { client, signedOut as ended, Refusal, take } from "./api";
import { Broken } from "./components/broken";
import { Loading, Nothing, Trouble } from "./components/parts";
import { Shell } from "./components/shell";
import { useLive } from "./live";
import { DevicePage } from "./pages/device";
import { DevicesPage } from "./pages/devices";
import { DirectoryPage } from "./pages/directory";
import { DriftPage } from "./pages/drift";
import { EventsPage } from "./pages/events";
import { GroupsPage } from "./pages/groups";
import { PasswordsPage } from "./pages/passwords";
import { PoliciesPage } from "./pages/policies";
import { SignIn, SignInAgain } from "./pages/sign-in";
import { WatchPage } from "./pages/watch";

// The editor is large, and most visits do not need it.
const PolicyPage = lazy(() => import("./pages/policy").then((page) => ({ default: page.PolicyPage })));

/** The console. When a session ends, the sign-in comes on top of the page, so that nothing typed is lost. */
export function App() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: () => take(client.GET("/api/v1/session")),
    refetchInterval: 60_000,
    retry: false,
  });
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
        <Suspense fallback={<Loading />}>
          <Routes>
            <Route path="/" element={<Navigate to="/watch" replace />} />
            <Route path="/watch" element={<WatchPage />} />
            <Route path="/policies" element={<PoliciesPage mayEdit={rights.includes("draft")} />} />
            <Route path="/new-policy" element={<PolicyPage fresh mayEdit={rights.includes("draft")} />} />
            <Route path="/policies/:name" element={<PolicyPage mayEdit={rights.includes("draft")} />} />
            <Route path="/devices" element={<DevicesPage />} />
            <Route path="/devices/:name" element={<DevicePage rights={rights} />} />
            <Route path="/passwords" element={<PasswordsPage rights={rights} />} />
            <Route path="/drift" element={<DriftPage />} />
            <Route path="/events" element={<EventsPage />} />
            <Route path="/organisation" element={<Navigate to="/organisation/groups" replace />} />
            <Route path="/organisation/groups" element={<GroupsPage mayEdit={rights.includes("deploy")} />} />
            <Route path="/organisation/directory" element={<DirectoryPage />} />
            <Route path="*" element={<Nothing>Page not found. Choose a place above.</Nothing>} />
          </Routes>
        </Suspense>
      </Broken>
      {signedOut && <SignInAgain />}
    </Shell>
  );
}
