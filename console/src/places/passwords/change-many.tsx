import { useMutation, useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Password, Schemas } from "@/api/types";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

type Props = { chosen: Password[]; group?: string; clear: () => void };

/** Has the ticked passwords, or all of a group, changed now: asks first, and then shows how far that is. */
export function ChangeMany({ chosen, group, clear }: Props) {
  const [asking, setAsking] = useState(false);
  const [batches, setBatches] = useState<string[]>([]);
  const order = useMutation({
    mutationFn: async () => {
      const given: string[] = [];
      setBatches(given);
      for (const body of chosen.length > 0 ? orders(chosen) : [{ kind: "rotate" as const, group, devices: [] }]) {
        given.push((await change.order(body)).batch);
        setBatches([...given]);
      }
    },
    onSuccess: clear,
  });
  const what = chosen.length > 0 ? `${chosen.length} selected` : group ? `all of ${group}` : "";
  return (
    <div className="flex items-center gap-3">
      {what && (
        <Button onClick={() => setAsking(true)} disabled={order.isPending}>
          Rotate now: {what}…
        </Button>
      )}
      <Ask
        open={asking}
        title={
          chosen.length > 0
            ? `Rotate ${chosen.length === 1 ? "this password" : `these ${chosen.length} passwords`} now?`
            : `Rotate every password of ${group} now?`
        }
        yes="Rotate now"
        onYes={() => order.mutate()}
        onNo={() => setAsking(false)}
      >
        {chosen.length > 0
          ? `${chosen
              .slice(0, 4)
              .map((p) => `${p.name} on ${p.device}`)
              .join(", ")}${chosen.length > 4 ? `, and ${chosen.length - 4} more` : ""}. `
          : `Every device of the group ${group} rotates all of its passwords. `}
        Anybody who uses one of them must look it up again.
      </Ask>
      {order.error && <Trouble error={order.error} />}
      <Progress batches={batches} />
    </div>
  );
}

/** One order for each account, since an order names one. */
function orders(chosen: Password[]): Schemas["NewOrder"][] {
  const accounts = [...new Set(chosen.map((p) => p.account))];
  return accounts.map((subject) => ({
    kind: "rotate",
    subject,
    devices: chosen.filter((p) => p.account === subject).map((p) => p.device),
  }));
}

function Progress({ batches }: { batches: string[] }) {
  const progress = useQueries({ queries: batches.map((name) => read.orderProgress(name)) });
  const known = progress.flatMap((p) => p.data ?? []);
  if (known.length === 0) return null;
  const sum = (of: (p: (typeof known)[number]) => number | undefined) => known.reduce((n, p) => n + (of(p) ?? 0), 0);
  const given = sum((p) => p.given);
  const waiting = sum((p) => p.by.queued) + sum((p) => p.by.delivered);
  const failed = sum((p) => p.by.failed);
  return (
    <span role="status" className="flex items-center gap-2 text-second">
      <progress value={sum((p) => p.ended)} max={given} className="h-2 w-32 accent-brass" aria-label="Changed" />
      {sum((p) => p.by.done)} of {given} changed
      {waiting > 0 && `, ${waiting} waiting`}
      {failed > 0 && <span className="text-red">, {failed} failed</span>}
    </span>
  );
}
