import type { Rung } from "@/api/types";

/** What one contender, or the device, says of a row: in, out, or nothing. */
export type Says = "in" | "out" | "silent";

/** A row of the comparison: a member, or the whole value, with what each contender says of it. */
export type ContestRow = { key: string; words: string; says: Says[]; texts?: string[]; now?: Says; differs: boolean };

const fold = (ref: string) => ref.toLowerCase();

/**
 * The rows of a contest over one setting, those that differ first. For a local group there is one for each member that
 * anybody names or the device has; for another setting there is one, with the values. Members of the device are references
 * as it reported them, undefined when it did not.
 */
export function contestRows(rivals: Rung[], unit: string, device: string[] | undefined): ContestRow[] {
  const cells = rivals.map((r) => r.cells.find((c) => c.unit === unit));
  if (cells.every((c) => (c?.members.length ?? 0) === 0 && !c?.closed)) {
    const texts = cells.map((c) => c?.words ?? "nothing");
    return [{ key: "value", words: "value", says: cells.map(() => "in"), texts, differs: true }];
  }
  const words = new Map<string, string>();
  for (const cell of cells) for (const m of cell?.members ?? []) words.set(fold(m.ref), m.words);
  const has = device && new Set(device.map(fold));
  const others = (device ?? []).filter((ref) => !words.has(fold(ref)));
  for (const ref of others) words.set(fold(ref), ref);
  const rows = [...words].map(([key, shown]): ContestRow => {
    const says = cells.map((c): Says => {
      const named = c?.members.find((m) => fold(m.ref) === key);
      return named ? (named.in ? "in" : "out") : c?.closed ? "out" : "silent";
    });
    return {
      key,
      words: shown,
      says,
      ...(has && { now: has.has(key) ? "in" : "out" }),
      differs: new Set(says).size > 1,
    };
  });
  return [...rows.filter((r) => r.differs), ...rows.filter((r) => !r.differs)];
}
