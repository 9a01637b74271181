import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type BaseSyntheticEvent, type ReactNode, useState } from "react";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { list, read } from "@/api/queries";
import type { DepositRef, Password, RevealResult } from "@/api/types";
import { Again } from "@/domain/again";
import { Button } from "@/ui/button";
import { TextArea } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { z } from "@/ui/zod";
import { inSight, Shown } from "./shown";

type Ask = { copied: boolean; reason: string };

const needed = "Say why in 3 to 1000 characters, such as a ticket and what you will do.";
const asking = z.object({ reason: z.string().trim().min(3, needed).max(1000, needed) });

/** Asks for a reason, and then shows a password for a while, or copies it without showing it. */
export function Reveal({ of, former, done }: { of: Password; former?: DepositRef; done?: () => void }) {
  const queries = useQueryClient();
  const [shown, setShown] = useState<RevealResult>();
  const [said, setSaid] = useState("");
  const [hidden, setHidden] = useState(false); // it was shown, and is no longer
  const form = useForm({ resolver: zodResolver(asking), defaultValues: { reason: "" } }); // kept whatever is asked in between
  const [again, setAgain] = useState<Ask>(); // what waits for a fresh sign-in
  const reveal = useMutation({
    mutationFn: async ({ copied, reason }: Ask) => {
      setSaid("");
      setAgain(undefined);
      // Asked first, so that nothing is on the trail for a copy that cannot be made.
      if (copied && !navigator.clipboard)
        throw new Error("The browser copies only over TLS or on this machine itself. Show the password instead.");
      setShown(undefined);
      const answer = await change.reveal(of.device_id, { account: of.account, reason, copied, former });
      if (!copied) return setShown(answer);
      await navigator.clipboard.writeText(answer.candidates[0]?.password ?? "");
      setSaid(
        answer.candidates.length > 1
          ? "The newest password was copied without showing it. A rotation is in progress: if it does not work, show all of them."
          : "Copied without showing it. Clear your clipboard when you are done.",
      );
    },
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: read.device(of.device).queryKey });
      queries.invalidateQueries({ queryKey: list.passwords({}).key.slice(0, 1) });
    },
    onError: (error, ask) => {
      if (error instanceof Refusal && error.code === "sign_in_again") setAgain(ask);
      if (error instanceof Refusal && error.code === "second_person_needed")
        queries.invalidateQueries(read.approvals());
    },
    gcTime: 0, // the answer is kept nowhere but in what is shown
  });
  const submit = form.handleSubmit(({ reason }, event?: BaseSyntheticEvent) => {
    const by = (event?.nativeEvent as SubmitEvent | undefined)?.submitter;
    reveal.mutate({ copied: by?.getAttribute("value") === "copy", reason });
  });
  if (shown) {
    return (
      <>
        <Announce>The password is shown for {inSight} seconds.</Announce>
        <Shown
          revealed={shown}
          hide={() => {
            setShown(undefined);
            setHidden(true);
            form.reset();
            reveal.reset();
            done?.();
          }}
        />
      </>
    );
  }
  if (again)
    return (
      <Again
        why="A password is shown only within 15 minutes of a sign-in."
        then={() => reveal.mutate(again)}
        leave={() => setAgain(undefined)}
      />
    );
  return (
    <form onSubmit={submit} noValidate className="space-y-2">
      {hidden && <Announce>The password is hidden.</Announce>}
      <TextArea
        label="Reason"
        rows={2}
        placeholder="A ticket, and what you will do"
        problem={form.formState.errors.reason?.message}
        {...form.register("reason")}
      />
      <div className="flex flex-wrap gap-2">
        <Button type="submit" value="show" primary disabled={reveal.isPending}>
          Show for {inSight} seconds
        </Button>
        <Button type="submit" value="copy" disabled={reveal.isPending}>
          Copy without showing
        </Button>
      </div>
      {said && (
        <p role="status" className="text-green">
          ✓ {said}
        </p>
      )}
      {reveal.error && <Trouble error={reveal.error} />}
    </form>
  );
}

/** Says to screen readers that a password is shown or hidden, and never the password. */
function Announce({ children }: { children: ReactNode }) {
  return (
    <p role="status" className="sr-only">
      {children}
    </p>
  );
}
