import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Rollout, Schemas } from "@/api/types";
import { PreviewSums } from "@/changes/sums";
import { Button } from "@/ui/button";
import { TextArea } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

type Step = "pause" | "resume" | "open" | "revert";

const about: Record<Step, { title: string; note: string; yes: string; needsReason: boolean }> = {
  pause: {
    title: "Pause the rollout?",
    note: "No further wave opens. Devices that have the change keep it.",
    yes: "Pause",
    needsReason: false,
  },
  resume: {
    title: "Resume the rollout?",
    note: "After a stop the open wave soaks again, and devices that failed count once they report again.",
    yes: "Resume",
    needsReason: false,
  },
  open: {
    title: "Open the next wave early?",
    note: "Its devices get the change although the gate has not been passed.",
    yes: "Open the next wave",
    needsReason: true,
  },
  revert: {
    title: "Revert the rollout?",
    note: "Every device that has the change goes back to what it resolves to without it. The change is closed.",
    yes: "Revert",
    needsReason: true,
  },
};

/** What can be done with a rollout that is under way. */
export function Steps({ of }: { of: Rollout }) {
  const [step, setStep] = useState<Step | "">("");
  const held = of.state === "paused" || of.state === "stopped";
  return (
    <>
      {of.state === "running" && of.open_waves < of.waves && (
        <Button onClick={() => setStep("open")}>Open wave {of.open_waves + 1} early…</Button>
      )}
      <Button onClick={() => setStep("revert")}>Revert…</Button>
      {of.state === "running" && <Button onClick={() => setStep("pause")}>Pause…</Button>}
      {held && (
        <Button primary onClick={() => setStep("resume")}>
          Resume…
        </Button>
      )}
      {step && <AskStep key={step} of={of} step={step} close={() => setStep("")} />}
    </>
  );
}

/** Asks for a step, with a reason, and does it. */
function AskStep({ of, step, close }: { of: Rollout; step: Step; close: () => void }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const [giveBack, setGiveBack] = useState(false);
  const mended = step === "resume" && of.edited;
  const draft = useQuery({ ...read.change(of.change), enabled: mended });
  const preview = useQuery({
    ...read.changePreview(of.change, draft.data?.version ?? 0),
    enabled: mended && draft.data !== undefined,
  });
  const doing = useMutation<Schemas["RolloutStep"]>({
    mutationFn: () => {
      if (step === "pause") return change.pauseRollout(of.change, reason);
      if (step === "resume") return change.resumeRollout(of.change, reason, preview.data?.digest ?? "");
      return step === "open" ? change.openWave(of.change, reason) : change.revertRollout(of.change, reason, giveBack);
    },
    onSuccess: (now) => {
      if (now.rollout) queries.setQueryData(read.rollout(of.change).queryKey, now.rollout);
      queries.invalidateQueries(read.change(of.change));
      if (now.rollout) close();
    },
  });
  const needsReason = about[step].needsReason || (step === "resume" && of.state === "stopped");
  const waits = doing.data?.change;
  return (
    <Window open close={close} title={about[step].title} note={about[step].note}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          doing.mutate();
        }}
      >
        {mended && (
          <div className="mb-4">
            <p className="mb-1 font-semibold">The change as it is now</p>
            {preview.error && <Trouble error={preview.error} />}
            {preview.data && <PreviewSums preview={preview.data} />}
          </div>
        )}
        <TextArea
          label={needsReason ? "Reason" : "Reason (optional)"}
          rows={2}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        {step === "revert" && (
          <label className="mt-3 flex items-start gap-2">
            <input
              type="checkbox"
              className="mt-1"
              checked={giveBack}
              onChange={(event) => setGiveBack(event.target.checked)}
            />
            <span>
              Give back members and values that the change took away
              <span className="block text-xs text-second">where nobody altered them since</span>
            </span>
          </label>
        )}
        {doing.error && <Trouble error={doing.error} />}
        {waits && (
          <p role="status" className="mt-3 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
            The change waits for a second person: {waits.needs.join("; ")}. Resume once it is approved.
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button
            primary
            type="submit"
            disabled={doing.isPending || (needsReason && !reason.trim()) || (mended && !preview.data)}
          >
            {about[step].yes}
          </Button>
        </div>
      </form>
    </Window>
  );
}
