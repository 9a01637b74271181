import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { canUsePasskeys, passkey } from "@/api/passkeys";
import { read } from "@/api/queries";
import type { Me } from "@/api/types";
import { atProvider } from "@/domain/provider";
import { CodeField, useCodeAsked } from "@/domain/second-factor";
import { Button, TextButton } from "@/ui/button";
import { TextField } from "@/ui/field";
import { useTitle } from "@/ui/page";

/** The sign-in as the whole page. */
export function SignIn() {
  useTitle("Sign in");
  return (
    <main className="fixed inset-0 flex items-center justify-center bg-band">
      <SignInForm page note="Sign in with your name as an operator." />
    </main>
  );
}

/** Asks who is there. */
export function SignInForm({ note, page }: { note: string; page?: boolean }) {
  const queries = useQueryClient();
  const form = useForm({ defaultValues: { name: "", password: "", code: "" } });
  const ways = useQuery(read.signInWays());
  const [withPassword, setWithPassword] = useState(false);
  const entered = (me: Me) => {
    queries.setQueryData(read.session().queryKey, me);
    queries.invalidateQueries();
  };
  const signIn = useMutation({
    mutationFn: change.signIn,
    onSuccess: entered,
    gcTime: 0, // the password is kept nowhere
  });
  const withPasskey = useMutation({ mutationFn: passkey.signIn, onSuccess: entered });
  const { asked, problem } = useCodeAsked(signIn.error);
  const wrong = asked
    ? problem
    : signIn.error instanceof Refusal
      ? signIn.error.message
      : signIn.error && "The sign-in failed; try again.";
  return (
    <div className="w-[380px] rounded-sm border-t-4 border-brass-bright bg-sheet px-8 py-7">
      <h1 className="mb-1 flex items-center gap-2.5 text-xl leading-8 font-bold">
        <img src="/mark.svg" alt="" className="size-6" />
        Rank Warden
      </h1>
      <p className="mb-5 text-second">{note}</p>
      {ways.data?.provider && (
        <a
          href={atProvider(location.pathname + location.search)}
          className="mb-5 block rounded-sm border border-brass bg-brass px-3 py-1.5 text-center font-semibold text-on-brass hover:no-underline hover:brightness-110"
        >
          Sign in with {ways.data.provider}
        </a>
      )}
      {ways.data && !ways.data.password && !withPassword ? (
        <TextButton onClick={() => setWithPassword(true)}>Use the sealed owner</TextButton>
      ) : (
        <form
          method="post"
          onSubmit={form.handleSubmit((given) =>
            signIn.mutate({ ...given, name: given.name.trim(), code: given.code.trim() }),
          )}
          noValidate
          className="space-y-4"
        >
          <TextField
            label="Name"
            autoComplete="username"
            autoFocus={page}
            problem={form.formState.errors.name?.message}
            {...form.register("name", { validate: (name) => name.trim() !== "" || "Enter your name." })}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="current-password"
            className="font-mono"
            problem={form.formState.errors.password?.message}
            {...form.register("password", { required: "Enter your password." })}
          />
          {asked && <CodeField {...form.register("code")} />}
          {wrong && (
            <p role="alert" className="border-l-4 border-red bg-red-wash px-3 py-1.5">
              {wrong}
            </p>
          )}
          <div className="flex gap-2">
            <Button type="submit" primary={!ways.data?.provider} disabled={signIn.isPending}>
              Sign in
            </Button>
            {canUsePasskeys(ways.data?.passkeys) && (
              <Button onClick={() => withPasskey.mutate()} disabled={withPasskey.isPending}>
                Use a passkey
              </Button>
            )}
          </div>
          {withPasskey.error && (
            <p role="alert" className="border-l-4 border-red bg-red-wash px-3 py-1.5">
              {withPasskey.error.message}
            </p>
          )}
        </form>
      )}
    </div>
  );
}
