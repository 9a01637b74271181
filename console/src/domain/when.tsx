import { ago, stamp } from "./time";

/** A time, with how long ago it was beneath while that says more. */
export function When({ at, now }: { at: string; now: number }) {
  const words = ago(at, now);
  const time = stamp(at);
  return (
    <time dateTime={at}>
      <span className="whitespace-nowrap">{time}</span>
      {words !== time && <span className="block text-xs text-second">{words}</span>}
    </time>
  );
}
