import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { useReach } from "@/api/rights";
import type { Password, Schemas } from "@/api/types";
import { OrderProgress } from "@/domain/order-progress";
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
  const { limited, groups } = useReach();
  // An order for a group is one for all of its devices; whoever reaches some of them chooses those.
  const whole = group !== undefined && (!limited || groups.includes(group));
  const what = chosen.length > 0 ? `${chosen.length} selected` : whole ? `all of ${group}` : "";
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
      <OrderProgress batches={batches} did="changed" />
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
