import { useQueries } from "@tanstack/react-query";
import { read } from "@/api/queries";

/** How far orders to many devices are, in words and as a bar. */
export function OrderProgress({ batches, did }: { batches: string[]; did: string }) {
  const progress = useQueries({ queries: batches.map((name) => read.orderProgress(name)) });
  const known = progress.flatMap((p) => p.data ?? []);
  if (known.length === 0) return null;
  const sum = (of: (p: (typeof known)[number]) => number | undefined) => known.reduce((n, p) => n + (of(p) ?? 0), 0);
  const given = sum((p) => p.given);
  const waiting = sum((p) => p.by.queued) + sum((p) => p.by.delivered);
  const silent = sum((p) => p.silent);
  const failed = sum((p) => p.by.failed);
  return (
    <span role="status" className="flex items-center gap-2 text-second">
      <progress value={sum((p) => p.ended)} max={given} className="h-2 w-32 accent-brass" aria-label={did} />
      {sum((p) => p.by.done)} of {given} {did}
      {waiting > 0 && `, ${waiting} waiting`}
      {silent > 0 && ` (${silent} for a silent device)`}
      {failed > 0 && <span className="text-red">, {failed} failed</span>}
    </span>
  );
}
