import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, Refusal, take } from "../api";
import { Button } from "../components/parts";

/** The sign-in, alone or on top of the page whose session has ended. */
export function SignIn({ over }: { over?: boolean }) {
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
    <div
      className={`fixed inset-0 z-50 flex items-center justify-center ${over ? "bg-ink/60" : "bg-band"}`}
      {...(over && { role: "dialog", "aria-modal": true, "aria-label": "Sign in again" })}
    >
      <main className="w-[380px] rounded-sm border-t-4 border-brass-bright bg-sheet px-8 py-7">
        <h1 className="mb-1 flex items-center gap-2.5 text-xl leading-8 font-bold">
          <img src="/mark.svg" alt="" className="size-6" />
          Rank Warden
        </h1>
        <p className="mb-5 text-second">
          {over
            ? "Your session has ended. Sign in again; what you were doing is still here."
            : "Sign in with your name as an operator."}
        </p>
        <form method="post" onSubmit={submit} className="space-y-4">
          <label className="block">
            <span className="font-semibold">Name</span>
            <input name="name" autoComplete="username" required autoFocus className={field} />
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
      </main>
    </div>
  );
}
