import { useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { type FormEvent, useState } from "react";
import { client, Refusal, take } from "../api";
import { Button, useTitle } from "../components/parts";

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

function SignInForm({ note, page }: { note: string; page?: boolean }) {
  const queries = useQueryClient();
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    setWrong("");
    try {
      const body = { name: String(form.get("name")), password: String(form.get("password")) };
      const me = await take(client.POST("/api/v1/session", { body }));
      queries.setQueryData(["session"], me);
      queries.invalidateQueries();
    } catch (error) {
      setWrong(error instanceof Refusal ? error.message : "The sign-in failed; try again.");
    } finally {
      setBusy(false);
    }
  };
  const field = "w-full rounded-sm border border-second bg-paper px-3 py-1.5";
  return (
    <div className="w-[380px] rounded-sm border-t-4 border-brass-bright bg-sheet px-8 py-7">
      <h1 className="mb-1 flex items-center gap-2.5 text-xl leading-8 font-bold">
        <img src="/mark.svg" alt="" className="size-6" />
        Rank Warden
      </h1>
      <p className="mb-5 text-second">{note}</p>
      <form method="post" onSubmit={submit} className="space-y-4">
        <label className="block">
          <span className="font-semibold">Name</span>
          <input name="name" autoComplete="username" required autoFocus={page} className={field} />
        </label>
        <label className="block">
          <span className="font-semibold">Password</span>
          <input
            name="password"
            type="password"
            autoComplete="current-password"
            required
            className={`${field} font-mono`}
          />
        </label>
        {wrong && (
          <p role="alert" className="border-l-4 border-red bg-red-wash px-3 py-1.5">
            {wrong}
          </p>
        )}
        <Button type="submit" primary disabled={busy}>
          Sign in
        </Button>
      </form>
    </div>
  );
}
