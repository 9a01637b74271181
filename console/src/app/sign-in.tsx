import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
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
import { z } from "@/ui/zod";

/** The sign-in, on top of the page whose session has ended: nothing else can be reached until it is done. */
export function SignInAgain() {
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-50 bg-ink/60" />
        <Dialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(event) => event.preventDefault()}
          onInteractOutside={(event) => event.preventDefault()}
          className="fixed top-1/2 left-1/2 z-50 -translate-1/2"
        >
          <Dialog.Title className="sr-only">Sign in again</Dialog.Title>
          <SignInForm note="Your session has ended. Sign in again; your work is still here." />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** The sign-in as the whole page. */
export function SignIn() {
  useTitle("Sign in");
  return (
    <main className="fixed inset-0 flex items-center justify-center bg-band">
      <SignInForm page note="Sign in with your name as an operator." />
    </main>
  );
}

const credentials = z.object({
  name: z.string().trim().min(1, "Enter your name."),
  password: z.string().min(1, "Enter your password."),
  code: z.string().trim(),
});

function SignInForm({ note, page }: { note: string; page?: boolean }) {
  const queries = useQueryClient();
  const form = useForm({ resolver: zodResolver(credentials), defaultValues: { name: "", password: "", code: "" } });
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
          onSubmit={form.handleSubmit((given) => signIn.mutate(given))}
          noValidate
          className="space-y-4"
        >
          <TextField
            label="Name"
            autoComplete="username"
            autoFocus={page}
            problem={form.formState.errors.name?.message}
            {...form.register("name")}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="current-password"
            className="font-mono"
            problem={form.formState.errors.password?.message}
            {...form.register("password")}
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
