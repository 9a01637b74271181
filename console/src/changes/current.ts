import { useSyncExternalStore } from "react";

/*
 * The change that this browser adds its edits to. Only its name is kept here; the edits are with the service, so that they
 * outlive the browser and the session.
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

/** The name of the current change, empty for none, and the way to choose another one. */
export function useCurrentChange(): [string, (name: string) => void] {
  const name = useSyncExternalStore(subscribe, () => localStorage.getItem(kept) ?? "");
  const choose = (next: string) => {
    if (next) localStorage.setItem(kept, next);
    else localStorage.removeItem(kept);
    for (const listen of listeners) listen();
  };
  return [name, choose];
}
