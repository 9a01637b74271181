import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { read } from "@/api/queries";
import type { PolicyCheck } from "@/api/types";

/*
 * What is typed and in no change yet, by policy, with the text that it began from. It is kept in the browser, so that it
 * outlives a closed page and a lost session; there is nothing secret in a policy.
 */
type Unsaved = { source: string; base: string };

const place = (name: string) => `rankwarden-unsaved:${name}`;

function unsaved(name: string): Unsaved | undefined {
  try {
    return JSON.parse(localStorage.getItem(place(name)) ?? "null") ?? undefined;
  } catch {
    return undefined; // somebody else wrote there
  }
}

/** What is being edited: what is typed, else what stands; moved when that is no longer what one began from. */
export function useDraft(name: string, stands: string) {
  const [, redraw] = useState(0);
  const mine = unsaved(name);
  const source = mine?.source ?? stands;
  const dirty = mine !== undefined && mine.source !== stands;
  const keep = (next: Unsaved | undefined) => {
    if (next) localStorage.setItem(place(name), JSON.stringify(next));
    else localStorage.removeItem(place(name));
    redraw((n) => n + 1);
  };
  const edit = (next: string) => keep(next === stands ? undefined : { source: next, base: mine?.base ?? stands });
  const forget = () => keep(undefined);
  const rebase = () => keep({ source, base: stands }); // it goes over what stands now
  const moved = dirty && mine.base !== stands;
  return { source, dirty, moved, edit, forget, rebase };
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
