import { useEffect, useState } from "react";

const minute = 60;
const hour = 60 * minute;
const day = 24 * hour;

function span(seconds: number): string {
  if (seconds < 2 * minute) return `${Math.floor(seconds)} s`;
  if (seconds < 2 * hour) return `${Math.floor(seconds / minute)} min`;
  return `${Math.floor(seconds / hour)} h`;
}

const two = (n: number) => String(n).padStart(2, "0");

/** The day, such as 2026-11-29, in the zone of the browser. */
export function dayOf(at: string | number): string {
  const d = new Date(at);
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`;
}

/** The time of day, such as 11:13:49. */
export function timeOf(at: string | number): string {
  const d = new Date(at);
  return `${two(d.getHours())}:${two(d.getMinutes())}:${two(d.getSeconds())}`;
}

/** The one way to write a time: 2026-11-29 11:13:49, in the zone of the browser, which the foot of the page names. */
export const stamp = (at: string | number) => `${dayOf(at)} ${timeOf(at)}`;

/** The zone of the browser, such as Europe/Oslo (UTC+01:00). */
export function zone(at: Date): string {
  const minutes = -at.getTimezoneOffset();
  const away = Math.abs(minutes);
  const offset = `UTC${minutes < 0 ? "-" : "+"}${two(Math.floor(away / 60))}:${two(away % 60)}`;
  const name = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return minutes === 0 && name === "UTC" ? "UTC" : `${name} (${offset})`;
}

/** How long ago, and beyond a day the time. */
export function ago(at: string | null | undefined, now: number): string {
  if (!at) return "never";
  const seconds = (now - Date.parse(at)) / 1000;
  if (seconds > day) return stamp(at);
  return seconds < 5 ? "just now" : `${span(seconds)} ago`;
}

/** How soon, and beyond a day the time. */
export function soon(at: string, now: number): string {
  const seconds = (Date.parse(at) - now) / 1000;
  if (seconds <= 0) return "due now";
  if (seconds > day) return stamp(at);
  return `in ${span(seconds)}`;
}

/** The time of day, and beyond a day the day before it. */
export const clock = (at: string, now: number) => (now - Date.parse(at) > day * 1000 ? stamp(at) : timeOf(at));

/** The time now, every few seconds. */
export function useNow(): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 5000);
    return () => clearInterval(timer);
  }, []);
  return now;
}
