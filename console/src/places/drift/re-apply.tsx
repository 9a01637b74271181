import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import type { Finding } from "@/api/types";
import { OrderProgress } from "@/domain/order-progress";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

const mostDevices = 5000; // that one order can name

/** Has every device of some findings carry out its desired state again: asks first, then shows how far that is. */
export function ReApply({ findings }: { findings: Finding[] }) {
  const [open, setOpen] = useState(false);
  const [batches, setBatches] = useState<string[]>([]);
  const devices = [...new Set(findings.map((f) => f.device))];
  const ordering = useMutation({
    mutationFn: async (names: string[]) => {
      const given: string[] = [];
      for (let from = 0; from < names.length; from += mostDevices) {
        given.push((await change.order({ kind: "re-apply", devices: names.slice(from, from + mostDevices) })).batch);
        setBatches([...given]);
      }
    },
  });
  const few = devices.slice(0, 4).join(", ");
  return (
    <>
      <Button disabled={devices.length === 0 || ordering.isPending} onClick={() => setOpen(true)}>
        Re-apply…
      </Button>
      <Ask
        open={open}
        title={`Re-apply on ${devices.length === 1 ? "1 device" : `${devices.length} devices`}?`}
        yes="Re-apply"
        onYes={() => {
          ordering.mutate(devices);
          setOpen(false);
        }}
        onNo={() => setOpen(false)}
      >
        {few}
        {devices.length > 4 && ` and ${devices.length - 4} more`} carry out the desired state again, online ones now and
        others when they return.
      </Ask>
      <OrderProgress batches={batches} did="done" />
      {ordering.error && <Trouble error={ordering.error} />}
    </>
  );
}
