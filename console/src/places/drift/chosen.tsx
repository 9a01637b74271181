import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { everything, type List } from "@/api/pages";
import { useRights } from "@/api/rights";
import type { Finding } from "@/api/types";
import { Waive } from "@/domain/waive";
import { TextButton } from "@/ui/button";
import { Trouble } from "@/ui/page";
import { cannot } from "./kinds";
import { ReApply } from "./re-apply";

type ChosenProps = { listed: List<Finding>; chosen: Finding[]; choose: (findings: Finding[]) => void };

/** What is chosen, and what can be done with that. All that is listed is chosen in one go, also what is not read yet. */
export function Chosen({ listed, chosen, choose }: ChosenProps) {
  const may = useRights();
  const [reading, setReading] = useState<{ stop: () => void; sofar: number } | null>(null);
  const all = useMutation({
    mutationFn: () => {
      const ends = new AbortController();
      const stop = () => ends.abort();
      setReading({ stop, sofar: 0 });
      return everything(listed, ends.signal, (sofar) => setReading({ stop, sofar }));
    },
    onSuccess: (findings) => choose(findings.filter((f) => !cannot(f))),
    onSettled: () => setReading(null),
  });
  const devices = new Set(chosen.map((f) => f.device)).size;
  return (
    <div className="flex min-h-8 flex-wrap items-center gap-3">
      <span role="status" className={chosen.length > 0 ? "font-semibold" : "text-second"}>
        {chosen.length === 0
          ? "Choose rows to re-apply or waive them."
          : `${chosen.length === 1 ? "1 finding" : `${chosen.length} findings`} on ${devices === 1 ? "1 device" : `${devices} devices`} chosen`}
      </span>
      {may("handle") && <ReApply findings={chosen} />}
      {may("deploy") && <Waive findings={chosen} done={() => choose([])} />}
      {chosen.length > 0 && <TextButton onClick={() => choose([])}>Choose none</TextButton>}
      {reading ? (
        <span role="status" className="text-second">
          Reading all: {reading.sofar} so far. <TextButton onClick={reading.stop}>Stop</TextButton>
        </span>
      ) : (
        <TextButton onClick={() => all.mutate()}>Choose all that are listed</TextButton>
      )}
      {all.error && all.error.name !== "AbortError" && <Trouble error={all.error} />}
    </div>
  );
}
