import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { change } from "./changes";
import { read } from "./queries";
import type { NewOrder } from "./types";

/** Gives one device an order; what became of it arrives by itself. */
export function useOrder(device: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (order: Pick<NewOrder, "kind" | "subject">) => change.order({ ...order, devices: [device] }),
    onSuccess: () => {
      toast.success(`The order was sent to ${device}.`);
      queries.invalidateQueries({ queryKey: read.device(device).queryKey });
    },
  });
}
