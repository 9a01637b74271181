import type { Warrant } from "@/api/types";

const hour = 3_600_000;

/** The time that the bars show, in milliseconds: a little of what was, and most of a day. */
export const span = { before: hour, all: 24 * hour };

const start = (now: number) => now - span.before;

/** Whether a warrant runs, or will within the time that is shown. */
export const isUnderWay = (w: Warrant, now: number) =>
  w.state === "agreed" &&
  w.from !== null &&
  w.until !== null &&
  Date.parse(w.until) > now &&
  Date.parse(w.from) < start(now) + span.all;

/** Where the bar of a warrant lies, in percent, and whether it goes on beyond the end. */
export function barOf(w: Warrant, now: number) {
  const at = (time: string | null) => ((Date.parse(time ?? "") - start(now)) / span.all) * 100;
  const left = Math.max(0, at(w.from));
  const right = Math.min(100, at(w.until));
  return { left, width: Math.max(1, right - left), goesOn: at(w.until) > 100 };
}

/** Every sixth hour of the clock in the time that is shown, with its place in percent. */
export function hours(now: number) {
  const list: { at: number; words: string }[] = [];
  const first = new Date(start(now));
  first.setMinutes(0, 0, 0);
  for (let t = first.getTime(); t <= start(now) + span.all; t += hour) {
    const h = new Date(t).getHours();
    const at = ((t - start(now)) / span.all) * 100;
    if (h % 6 === 0 && at >= 3 && at <= 97) list.push({ at, words: `${String(h).padStart(2, "0")}:00` });
  }
  return list;
}
