import { useEffect, useState } from "react";

const minute = 60;
const hour = 60 * minute;
const day = 24 * hour;

function span(seconds: number): string {
  if (seconds < 2 * minute) return `${Math.floor(seconds)} s`;
  if (seconds < 2 * hour) return `${Math.floor(seconds / minute)} min`;
  return `${Math.floor(seconds / hour)} h`;
}

/** How long ago, and beyond a day the date. */
export function ago(at: string | null | undefined, now: number): string {
  if (!at) return "never";
  const seconds = (now - Date.parse(at)) / 1000;
  if (seconds > day) return new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  return seconds < 5 ? "just now" : `${span(seconds)} ago`;
}

/** How soon, and beyond a day the date. */
export function soon(at: string, now: number): string {
  const seconds = (Date.parse(at) - now) / 1000;
  if (seconds <= 0) return "due now";
  if (seconds > day) return new Date(at).toLocaleDateString(undefined, { dateStyle: "medium" });
  return `in ${span(seconds)}`;
}

/** The time of day, and beyond a day the date. */
export function clock(at: string, now: number): string {
  const date = new Date(at);
  if (now - date.getTime() > day * 1000) return date.toLocaleDateString(undefined, { dateStyle: "medium" });
  return date.toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit", hour12: false });
}

/** The time now, every few seconds. */
export function useNow(): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 5000);
    return () => clearInterval(timer);
  }, []);
  return now;
}
