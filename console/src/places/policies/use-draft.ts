import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { read } from "@/api/queries";
import type { PolicyCheck } from "@/api/types";

/*
 * What is typed and not saved yet, by policy. It is kept in the browser, so that it outlives a closed page and a lost session;
 * there is nothing secret in a policy.
 */
type Unsaved = { source: string; over: number };

const place = (name: string) => `rankwarden-unsaved:${name}`;

function unsaved(name: string): Unsaved | undefined {
  try {
    return JSON.parse(localStorage.getItem(place(name)) ?? "null") ?? undefined;
  } catch {
    return undefined; // somebody else wrote there
  }
}

/** The draft that is being edited. */
export function useDraft(name: string, saved: { source: string; version: number } | undefined) {
  const [, redraw] = useState(0);
  const mine = unsaved(name);
  const source = mine?.source ?? saved?.source ?? "";
  const over = mine?.over ?? saved?.version ?? 0;
  const dirty = mine !== undefined && mine.source !== saved?.source;
  const keep = (next: Unsaved | undefined) => {
    if (next) localStorage.setItem(place(name), JSON.stringify(next));
    else localStorage.removeItem(place(name));
    redraw((n) => n + 1);
  };
  const edit = (next: string) => keep(next === saved?.source ? undefined : { source: next, over });
  const forget = () => keep(undefined);
  const rebase = (version: number) => keep({ source, over: version }); // it goes over what is saved now
  const moved = mine !== undefined && saved !== undefined && saved.version !== mine.over;
  return { source, over, dirty, moved, edit, forget, rebase };
}

const pause = 300; // milliseconds without a key before what was typed is checked

/** The service's checks of a document, shortly after one stops typing. */
export function useChecks(source: string): PolicyCheck & { checking: boolean } {
  const [still, setStill] = useState(source);
  useEffect(() => {
    const timer = setTimeout(() => setStill(source), pause);
    return () => clearTimeout(timer);
  }, [source]);
  const check = useQuery({ ...read.policyCheck(still), placeholderData: keepPreviousData });
  return { ...(check.data ?? none), checking: still !== source || check.isFetching };
}

const none: PolicyCheck = { problems: [], asks: [] };
