import { useSyncExternalStore } from "react";

/*
 * The change that this browser adds its edits to. Only its name is kept here; the edits are with the service, so that they
 * outlive the browser and the session. What it stands for is said by useMine alone.
 */
const kept = "rankwarden-change";
const listeners = new Set<() => void>();

const subscribe = (listen: () => void) => {
  listeners.add(listen);
  addEventListener("storage", listen);
  return () => {
    listeners.delete(listen);
    removeEventListener("storage", listen);
  };
};

const keep = (name: string) => {
  if (name) localStorage.setItem(kept, name);
  else localStorage.removeItem(kept);
  for (const listen of listeners) listen();
};

/** The name that is kept, empty for none, and the way to keep another one, in every tab. */
export function useKeptName(): [string, (name: string) => void] {
  return [useSyncExternalStore(subscribe, () => localStorage.getItem(kept) ?? ""), keep];
}
