import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { list } from "@/api/queries";
import type { Finding } from "@/api/types";
import { dayOf } from "@/domain/time";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Choices } from "@/ui/filters";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

const most = 500; // findings of one request

/** A day so many days from now, as a field of the browser has it. */
const dayIn = (days: number) => dayOf(Date.now() + days * 86_400_000);

type WaiveProps = { findings: Finding[]; done?: () => void };

/** Accepts findings until a day: asks for a reason, then the devices leave these things alone. */
export function Waive({ findings, done }: WaiveProps) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState(dayIn(30));
  const chosen = findings.filter((f) => f.kind !== "unit_unsupported");
  const waiving = useMutation({
    mutationFn: (these: Finding[]) =>
      change.waive(
        these.map((f) => f.id),
        new Date(`${until}T23:59:59`).toISOString(),
        reason,
      ),
    onSuccess: (made) => {
      const waiting = made.items.filter((w) => w.state === "waiting").length;
      toast.success(
        waiting ? `${waiting} of ${made.items.length} wait for a second person.` : "Waived; the devices are told.",
      );
      queries.invalidateQueries({ queryKey: list.findings({ state: "open" }).key.slice(0, 1) });
      setOpen(false);
      done?.();
    },
  });
  const count = chosen.length;
  return (
    <>
      <Button disabled={count === 0} onClick={() => setOpen(true)}>
        Waive…
      </Button>
      <Window
        open={open}
        close={() => setOpen(false)}
        title={count === 1 ? "Waive this finding?" : `Waive ${count} findings?`}
        note="Until the end of that day the devices leave these things alone, and they are no drift."
      >
        <form
          className="space-y-3"
          onSubmit={(event) => {
            event.preventDefault();
            waiving.mutate(chosen);
          }}
        >
          <ul>
            {chosen.slice(0, 4).map((f) => (
              <li key={f.id}>
                <span className="font-mono">{f.device}</span> {f.words}
              </li>
            ))}
            {count > 4 && <li className="text-second">and {count - 4} more</li>}
          </ul>
          {count > most && <p className="text-red">At most {most} can be waived at once. Choose fewer.</p>}
          <TextArea label="Reason" rows={2} value={reason} onChange={(event) => setReason(event.target.value)} />
          <Choices
            label="For how long"
            value={until}
            choices={[7, 14, 30].map((days) => ({ value: dayIn(days), label: `${days} days` }))}
            onChange={setUntil}
          />
          <TextField
            label="Until the end of"
            type="date"
            min={dayIn(0)}
            max={dayIn(365)}
            value={until}
            onChange={(event) => setUntil(event.target.value)}
          />
          {waiving.error && <Trouble error={waiving.error} />}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button
              primary
              type="submit"
              disabled={waiving.isPending || reason.trim() === "" || until === "" || count === 0 || count > most}
            >
              Waive
            </Button>
          </div>
        </form>
      </Window>
    </>
  );
}
