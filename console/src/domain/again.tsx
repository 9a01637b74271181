import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { onStale, type Stale } from "@/api/fresh";
import { canUsePasskeys, passkey } from "@/api/passkeys";
import { read } from "@/api/queries";
import { atProvider } from "@/domain/provider";
import { CodeField, useCodeAsked } from "@/domain/second-factor";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";
import { z } from "@/ui/zod";

/** Asks whoever decides something to sign in again, where the service wants that, and lets it go on. */
export function SignInAgain() {
  const [stale, setStale] = useState<Stale | null>(null);
  useEffect(() => onStale(setStale), []);
  const leave = () => {
    stale?.leave();
    setStale(null);
  };
  return (
    <Window open={stale !== null} close={leave} title="Sign in again" note="What you asked for is done afterwards.">
      {stale && (
        <Again
          why="Whoever agrees to something, or refuses it, has signed in within the last 15 minutes."
          then={() => {
            stale.goOn();
            setStale(null);
          }}
          leave={leave}
        />
      )}
    </Window>
  );
}

const own = z.object({ password: z.string().min(1, "Enter your own password."), code: z.string().trim() });

/** Asks for the operator's own password, since the last sign-in is too long ago; why says for what. */
export function Again({ why, then, leave }: { why: string; then: () => void; leave: () => void }) {
  const form = useForm({ resolver: zodResolver(own), defaultValues: { password: "", code: "" } });
  const again = useMutation({ mutationFn: change.signInAgain, onSuccess: then, gcTime: 0 });
  const ways = useQuery(read.signInWays());
  const withPasskey = useMutation({ mutationFn: passkey.signInAgain, onSuccess: then });
  const { asked, problem } = useCodeAsked(again.error);
  const wrong = asked ? problem : (again.error ?? withPasskey.error)?.message;
  const session = useQuery(read.session());
  if (session.data?.at_provider) {
    return (
      <div className="space-y-2">
        <p>{why} Sign in again; you come back to this page.</p>
        <a href={atProvider(location.pathname + location.search, true)} className="font-semibold text-brass">
          Sign in again
        </a>
      </div>
    );
  }
  return (
    <form onSubmit={form.handleSubmit((given) => again.mutate(given))} noValidate className="space-y-2">
      <p>{why} Enter your own password again.</p>
      <TextField
        label="Your password"
        type="password"
        autoComplete="current-password"
        className="font-mono"
        problem={form.formState.errors.password?.message}
        {...form.register("password")}
      />
      {asked && <CodeField {...form.register("code")} />}
      <div className="flex gap-2">
        <Button type="submit" primary disabled={again.isPending}>
          Go on
        </Button>
        {canUsePasskeys(ways.data?.passkeys) && (
          <Button onClick={() => withPasskey.mutate()} disabled={withPasskey.isPending}>
            Use a passkey
          </Button>
        )}
        <Button onClick={leave}>Cancel</Button>
      </div>
      {wrong && <Trouble error={new Error(wrong) /* a wrong password is no ended session */} />}
    </form>
  );
}
