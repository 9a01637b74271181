import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Held } from "@/api/types";
import { EffectSums } from "@/changes/sums";
import { Altered } from "@/domain/altered";
import { ago, useNow } from "@/domain/time";
import { Button, TextButton } from "@/ui/button";
import { TextArea } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";

/** What the brake holds: what it would do, and who lets it go. */
export function Braked({ held, mayDecide }: { held: Held; mayDecide: boolean }) {
  const now = useNow();
  const [open, setOpen] = useState(false);
  return (
    <li className="border-l-4 border-waiting bg-waiting-wash px-3 py-2">
      <p className="font-semibold">Waits: {held.words}</p>
      <p>
        {held.asked_by} asked for it {ago(held.asked_at, now)}. Nothing of it was done yet.
      </p>
      <p className="mt-1">
        <TextButton onClick={() => setOpen(true)}>{mayDecide ? "Look and decide" : "Look at it"}</TextButton>
      </p>
      {open && <Decide held={held} mayDecide={mayDecide} close={() => setOpen(false)} />}
    </li>
  );
}

function Decide({ held, mayDecide, close }: { held: Held; mayDecide: boolean; close: () => void }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const deciding = useMutation({
    mutationFn: (release: boolean) => change.decideBrake(held.id, release, reason),
    onSuccess: (now) => {
      queries.invalidateQueries(read.brakes());
      toast.success(now.state === "released" ? "Released: it is done now." : "Refused: it is not done.");
      close();
    },
  });
  const whole = useQuery(read.brake(held.id));
  const ready = reason.trim() !== "" && !deciding.isPending;
  return (
    <Window
      open
      close={close}
      wide
      title={`${held.words[0]?.toUpperCase()}${held.words.slice(1)}`}
      note="That is more than may happen without a decision, so nothing of it was done yet. Released, it goes to all of these devices at once."
    >
      {held.needs.map((why) => (
        <p key={why} className="mb-2 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
          Somebody else than {held.asked_by} must release it: {why}.
        </p>
      ))}
      <EffectSums sums={held.sums} />
      {whole.data && whole.data.alters.length > 0 && (
        <section className="mt-3">
          <h3 className="mb-1 text-xs font-semibold text-second">What it alters, as of when it was asked for</h3>
          <Altered rows={whole.data.alters} of={whole.data.altering} />
        </section>
      )}
      {whole.error && <Trouble error={whole.error} />}
      {held.sums.length === 0 && held.needs.length === 0 && (
        <p className="text-second">No effect on accounts, members or rules is known.</p>
      )}
      {mayDecide && (
        <WindowFoot>
          <TextArea label="Reason" rows={2} value={reason} onChange={(event) => setReason(event.target.value)} />
          {deciding.error && <Trouble error={deciding.error} />}
          <div className="mt-2 flex justify-end gap-2">
            <Button onClick={close}>Later</Button>
            <Button disabled={!ready} onClick={() => deciding.mutate(false)}>
              Refuse
            </Button>
            <Button primary disabled={!ready} onClick={() => deciding.mutate(true)}>
              Release
            </Button>
          </div>
        </WindowFoot>
      )}
    </Window>
  );
}
