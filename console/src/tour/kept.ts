import { useSyncExternalStore } from "react";

/*
 * How far somebody has come with the tour, kept in the browser by name: new, at a stop, or left. Left once, it never comes back
 * unasked.
 */

type State = { at: number } | "new" | "left";

const key = (name: string) => `rankwarden tour of ${name}`;
const heard = new Set<() => void>();

const subscribe = (changed: () => void) => {
  heard.add(changed);
  return () => heard.delete(changed);
};

const parse = (text: string | null): State => {
  if (text === null) return "new";
  const at = Number(text);
  return text !== "left" && Number.isInteger(at) && at >= 0 ? { at } : "left";
};

/** Where somebody is with the tour, and how one goes on. */
export function useTour(name: string): [State, (next: number | "left") => void] {
  const text = useSyncExternalStore(subscribe, () => localStorage.getItem(key(name)));
  const set = (next: number | "left") => {
    localStorage.setItem(key(name), String(next));
    for (const changed of heard) changed();
  };
  return [parse(text), set];
}
