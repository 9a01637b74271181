import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { useLocation } from "react-router";
import { Toaster } from "sonner";
import { read } from "@/api/queries";
import type { Me } from "@/api/types";
import { LettersContext, lettersOf } from "@/ui/letters";
import { Broken } from "./broken";
import { OnlyMe, Pages } from "./routes";
import { Shell } from "./shell";
import { SignInOnTop } from "./sign-in-on-top";

/** What passes and need not be read again is said in a corner. */
const toasts = {
  unstyled: true,
  classNames: {
    toast:
      "flex w-80 items-center gap-2 rounded-sm border border-hairline border-l-4 bg-sheet px-4 py-2.5 text-ink shadow-xl",
    success: "border-l-green",
    error: "border-l-red",
    actionButton: "ml-auto shrink-0 font-semibold whitespace-nowrap text-brass hover:underline",
  },
};

interface SignedInProps {
  me: Me | undefined;
  held: boolean; // something must be done before anything else
  quiet: string;
  again: boolean; // the session has ended meanwhile
  leave: () => void;
}

/** The console of whoever has signed in. When the session ends, the sign-in comes on top, so that nothing typed is lost. */
export function SignedIn({ me, held, quiet, again, leave }: SignedInProps) {
  const { pathname } = useLocation();
  const names = useQuery({ ...read.letters(), enabled: me !== undefined && !held }).data?.items;
  const write = useMemo(() => lettersOf((names ?? []).map((e) => e.name)), [names]);
  return (
    <LettersContext value={write}>
      <Shell me={me} quiet={quiet} onLeave={leave}>
        <Broken key={pathname}>{me && held ? <OnlyMe me={me} /> : <Pages />}</Broken>
        {again && <SignInOnTop />}
        <Toaster position="bottom-right" toastOptions={toasts} style={{ fontFamily: "inherit" }} />
      </Shell>
    </LettersContext>
  );
}
