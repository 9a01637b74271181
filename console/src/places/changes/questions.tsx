import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeDetail, Preview } from "@/api/types";
import type { Action } from "@/changes/next-step";
import { Way } from "@/changes/sums";
import { useMine } from "@/changes/use-mine";
import { devices } from "@/domain/count";
import { Ask } from "@/ui/ask";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { draftAgain } from "./draft-again";

/** What is asked before a step, what happens by it, and what is said once it was done. */
interface Question {
  title: string;
  yes: string;
  happens: string;
  done: string;
  why?: string; // label of the reason, where one is asked for
  must?: boolean; // without a reason there is no yes
}

/** The question before each step. Each sentence is true for its button: see questions.test.ts. */
export function questionOf(step: Asked, of: ChangeDetail, preview: Preview | undefined): Question {
  const name = of.title || of.name;
  const affected = preview ? devices(preview.devices) : "no device";
  const ways = !of.reason && (preview?.ways.length ?? 0) > 0;
  const because = { why: "Why: it gives, takes or moves a way in", must: true };
  switch (step) {
    case "apply":
      return {
        title: `Apply ${name} to all devices at once?`,
        yes: "Apply to all devices",
        happens: `It takes effect on ${affected}, and online ones are told now. No wave goes first, and no gate stops it.`,
        done: `${name} is in force. Online devices were told, others get it when they come back.`,
        ...(ways && because),
      };
    case "ask":
      return {
        title: `Ask a second person to approve ${name}?`,
        yes: "Ask for approval",
        happens: `Nothing reaches a device by asking. Somebody else looks at the effects on ${affected}; once they agree, you or another deployer starts it. An edit takes the question back.`,
        done: `${name} waits for a second person. Nothing has reached a device.`,
        ...(ways && because),
      };
    case "approve":
      return {
        title: `Approve ${name}?`,
        yes: "Approve these effects",
        happens: `You agree to these effects on ${affected}. Nothing reaches a device by that: ${of.asked_by} or another deployer starts it afterwards.`,
        done: `You approved ${name}. Nothing has reached a device: it has still to be started.`,
      };
    case "refuse":
      return {
        title: `Refuse ${name}?`,
        yes: "Refuse",
        happens: "It becomes a draft again. Nothing has reached a device, and nothing does.",
        done: `You refused ${name}. It is a draft again.`,
        why: "Why",
      };
    case "revert":
      return {
        title: "Draft the way back?",
        yes: "Draft it",
        happens:
          "A new change is drafted that takes each edit back to what was in force before. Nothing reaches a device before you start that one.",
        done: "The way back is drafted. Nothing has reached a device yet.",
        why: "Reason (optional)",
      };
    case "again":
      return {
        title: `Draft ${name} again?`,
        yes: "Draft it again",
        happens: "A new change is drafted with the same edits, based on what is in force now.",
        done: "It is drafted again. Nothing has reached a device yet.",
      };
  }
}

export type Asked = Exclude<Action, "start" | "watch">;

type QuestionsProps = { step: Asked | ""; of: ChangeDetail; preview: Preview | undefined; close: () => void };

/** Asks before a step, does it, and says what came of it. */
export function Questions({ step, of, preview, close }: QuestionsProps) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { choose } = useMine();
  const [reason, setReason] = useState("");
  const digest = preview?.digest ?? "";
  const doing = useMutation({
    mutationFn: async (step: Asked): Promise<ChangeDetail | string> => {
      if (step === "approve" || step === "refuse") {
        return change.decideChange(of.name, { approve: step === "approve", reason, digest });
      }
      if (step === "revert") return (await change.revertChange(of.name, reason)).name;
      if (step === "again") return draftAgain(of);
      return change.applyChange(of.name, digest, question?.must ? reason : "");
    },
    onSuccess: (now, step) => {
      queries.invalidateQueries(read.openChanges());
      toast.success(questionOf(step, of, preview).done);
      if (typeof now === "string") {
        choose(now);
        navigate(`/changes/${now}`);
        return;
      }
      queries.setQueryData(read.change(of.name).queryKey, now);
      queries.invalidateQueries(read.changePreview(of.name, now.version));
    },
    onSettled: () => {
      setReason("");
      close();
    },
  });
  const question = step ? questionOf(step, of, preview) : undefined;
  const held = preview?.sums.filter((s) => s.effect === "held") ?? [];
  const shown = step === "apply" || step === "ask" || step === "approve";
  return (
    <>
      <Ask
        open={question !== undefined}
        title={question?.title ?? ""}
        yes={question?.yes ?? ""}
        ready={!question?.must || reason.trim() !== ""}
        onYes={() => step && doing.mutate(step)}
        onNo={close}
      >
        {question?.happens}
        {shown && preview && <Ways preview={preview} />}
        {shown && held.length > 0 && (
          <span className="mt-1 block text-held">
            ▮▮ {held.length === 1 ? held[0]?.words : `${held.length} settings become held`}
          </span>
        )}
        {question?.why && (
          <TextField label={question.why} value={reason} onChange={(event) => setReason(event.target.value)} />
        )}
      </Ask>
      {doing.error && <Trouble error={doing.error} />}
    </>
  );
}

/** The ways in that a change gives, takes or moves, in a question. */
function Ways({ preview }: { preview: Preview }) {
  return (
    <>
      {preview.ways.slice(0, 5).map((w) => (
        <span key={`${w.effect} ${w.words}`} className="mt-1 block text-red">
          <Way of={w} />
        </span>
      ))}
      {preview.ways.length > 5 && (
        <span className="mt-1 block text-red">and {preview.ways.length - 5} more, see the preview</span>
      )}
    </>
  );
}
