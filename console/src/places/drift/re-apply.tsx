import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { everything, type List } from "@/api/pages";
import type { Finding } from "@/api/types";
import { OrderProgress } from "@/domain/order-progress";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

const mostDevices = 5000; // that one order can name

/** Has every device of the findings that are listed carry out its desired state again: asks first, then shows how far. */
export function ReApply({ findings }: { findings: List<Finding> }) {
  const [devices, setDevices] = useState<string[] | null>(null); // that it is asked about
  const [batches, setBatches] = useState<string[]>([]);
  const looking = useMutation({
    mutationFn: () => everything(findings),
    onSuccess: (all) => setDevices([...new Set(all.map((f) => f.device))]),
  });
  const ordering = useMutation({
    mutationFn: async (names: string[]) => {
      const given: string[] = [];
      for (let from = 0; from < names.length; from += mostDevices) {
        given.push((await change.order({ kind: "re-apply", devices: names.slice(from, from + mostDevices) })).batch);
        setBatches([...given]);
      }
    },
  });
  const few = devices?.slice(0, 4).join(", ") ?? "";
  return (
    <>
      <Button disabled={looking.isPending || ordering.isPending} onClick={() => looking.mutate()}>
        Re-apply on these devices…
      </Button>
      <Ask
        open={devices !== null}
        title={`Re-apply on ${devices?.length === 1 ? "1 device" : `${devices?.length ?? 0} devices`}?`}
        yes="Re-apply"
        onYes={() => {
          if (devices) ordering.mutate(devices);
          setDevices(null);
        }}
        onNo={() => setDevices(null)}
      >
        {few}
        {devices && devices.length > 4 && ` and ${devices.length - 4} more`} carry out the desired state again, online
        ones now and others when they return.
      </Ask>
      <OrderProgress batches={batches} did="done" />
      {(looking.error ?? ordering.error) && <Trouble error={(looking.error ?? ordering.error) as Error} />}
    </>
  );
}
