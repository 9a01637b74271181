import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { everything, type List } from "@/api/pages";
import type { Finding } from "@/api/types";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

const most = 500; // findings of one request

/** A day so many days from now, as a field of the browser has it. */
const dayIn = (days: number) => {
  const day = new Date(Date.now() + days * 86_400_000);
  return `${day.getFullYear()}-${String(day.getMonth() + 1).padStart(2, "0")}-${String(day.getDate()).padStart(2, "0")}`;
};

/** Accepts the findings that are listed until a day: asks for a reason, then the devices leave these things alone. */
export function Waive({ findings }: { findings: List<Finding> }) {
  const queries = useQueryClient();
  const [chosen, setChosen] = useState<Finding[] | null>(null); // that it is asked about
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState(dayIn(30));
  const looking = useMutation({
    mutationFn: () => everything(findings),
    onSuccess: (all) => setChosen(all.filter((f) => f.kind !== "unit_unsupported")),
  });
  const waiving = useMutation({
    mutationFn: (list: Finding[]) =>
      change.waive(
        list.map((f) => f.id),
        new Date(`${until}T23:59:59`).toISOString(),
        reason,
      ),
    onSuccess: (made) => {
      const waiting = made.items.filter((w) => w.state === "waiting").length;
      toast.success(
        waiting ? `${waiting} of ${made.items.length} wait for a second person.` : "Waived; the devices are told.",
      );
      queries.invalidateQueries({ queryKey: findings.key.slice(0, 1) });
      setChosen(null);
    },
  });
  const count = chosen?.length ?? 0;
  return (
    <>
      <Button disabled={looking.isPending} onClick={() => looking.mutate()}>
        Waive these…
      </Button>
      {looking.error && <Trouble error={looking.error} />}
      <Window
        open={chosen !== null}
        close={() => setChosen(null)}
        title={count === 1 ? "Waive this finding?" : `Waive ${count} findings?`}
        note="Until that day the devices leave these things alone, and they are no drift. Narrow the list first to waive fewer."
      >
        <form
          className="space-y-3"
          onSubmit={(event) => {
            event.preventDefault();
            if (chosen) waiving.mutate(chosen);
          }}
        >
          <ul>
            {chosen?.slice(0, 4).map((f) => (
              <li key={f.id}>
                <span className="font-mono">{f.device}</span> {f.words}
              </li>
            ))}
            {count > 4 && <li className="text-second">and {count - 4} more</li>}
          </ul>
          {count > most && <p className="text-red">At most {most} can be waived at once. Narrow the list.</p>}
          <TextArea label="Reason" rows={2} value={reason} onChange={(event) => setReason(event.target.value)} />
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
            <Button onClick={() => setChosen(null)}>Cancel</Button>
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
