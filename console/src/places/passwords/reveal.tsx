import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type BaseSyntheticEvent, useEffect, useRef, useState } from "react";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { list, read } from "@/api/queries";
import type { DepositRef, Password, RevealResult } from "@/api/types";
import { Again } from "@/domain/again";
import { clock, stamp, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { TextArea } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { z } from "@/ui/zod";

/** Seconds for which a password stays in sight. */
const inSight = 30;

type Ask = { copied: boolean; reason: string };

const needed = "Say why in 3 to 1000 characters, such as a ticket and what you will do.";
const asking = z.object({ reason: z.string().trim().min(3, needed).max(1000, needed) });

/** Asks for a reason, and then shows a password for a while, or copies it without showing it. */
export function Reveal({ of, former, done }: { of: Password; former?: DepositRef; done?: () => void }) {
  const queries = useQueryClient();
  const [shown, setShown] = useState<RevealResult>();
  const [said, setSaid] = useState("");
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
      <Shown
        revealed={shown}
        hide={() => {
          setShown(undefined);
          form.reset();
          reveal.reset();
          done?.();
        }}
      />
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

/** The passwords in sight, until the time is up. */
function Shown({ revealed, hide }: { revealed: RevealResult; hide: () => void }) {
  const [left, setLeft] = useState(inSight);
  const now = useNow();
  const end = useRef(hide);
  end.current = hide;
  useEffect(() => {
    const until = Date.now() + inSight * 1000;
    const timer = setInterval(() => {
      const rest = Math.ceil((until - Date.now()) / 1000);
      setLeft(rest);
      if (rest <= 0) end.current();
    }, 250);
    return () => clearInterval(timer);
  }, []);
  const several = revealed.candidates.length > 1;
  return (
    <div role="status" aria-label="The password" className="border-l-4 border-brass bg-sheet px-4 py-3">
      {several && (
        <p className="mb-2 font-semibold text-waiting">
          A change is under way: any of these may be the right one. Try the newest first.
        </p>
      )}
      <ul className="space-y-3">
        {revealed.candidates.map((c) => (
          <li key={`${c.deposit.epoch}.${c.deposit.number}`}>
            <code data-secret className="block font-mono text-lg leading-8 tracking-[0.1em] break-all select-all">
              {c.password}
            </code>
            <span className="text-second">
              as <span className="font-mono">{c.deposit.name}</span>
              {(several || c.deposit.state === "former") &&
                `, ${c.deposit.state}, made ${clock(c.deposit.deposited_at, now)}`}
            </span>
          </li>
        ))}
      </ul>
      {revealed.rotates_at && (
        <p className="mt-2">
          Because you viewed it, it rotates at <b>{stamp(revealed.rotates_at)}</b>.
        </p>
      )}
      <div className="mt-3 flex items-center justify-between">
        <span className="text-second tabular-nums">hidden in {left} s</span>
        <Button onClick={hide}>Hide now</Button>
      </div>
    </div>
  );
}
