import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { read } from "@/api/queries";
import type { PolicyCheck } from "@/api/types";

/*
 * What is typed and in no change yet, by tab and policy, with the text that it began from: two tabs do not write over each
 * other. It is kept in the browser, so that it outlives a closed page and a lost session; there is nothing secret in a
 * policy.
 */
export type Unsaved = { source: string; base: string; at: number };

const prefix = "rankwarden-unsaved:";

/** Milliseconds after which what was typed in a tab that is gone is no longer offered. */
const kept = 7 * 24 * 3600 * 1000;

/** The name of this tab; made when something is kept for the first time. */
function tab(): string {
  const name = sessionStorage.getItem("rankwarden-tab") ?? crypto.getRandomValues(new Uint32Array(1)).join("");
  sessionStorage.setItem("rankwarden-tab", name);
  return name;
}

function parsed(text: string | null): Unsaved | undefined {
  try {
    return JSON.parse(text ?? "null") ?? undefined;
  } catch {
    return undefined; // somebody else wrote there
  }
}

const place = (name: string) => `${prefix}${sessionStorage.getItem("rankwarden-tab") ?? ""}:${name}`;

/** What was typed about a policy in other tabs, or in a tab that is gone, the latest first. What is old is removed. */
export function elsewhere(name: string, now: number): Unsaved[] {
  const found: Unsaved[] = [];
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(prefix))) {
    const draft = parsed(localStorage.getItem(key));
    if (!draft || now - (draft.at ?? 0) > kept) localStorage.removeItem(key);
    else if (key !== place(name) && key.slice(key.indexOf(":", prefix.length) + 1) === name) found.push(draft);
  }
  return found.sort((a, b) => b.at - a.at);
}

/** What is being edited: what is typed, else what stands; moved when that is no longer what one began from. */
export function useDraft(name: string, stands: string) {
  const [, redraw] = useState(0);
  const [others] = useState(() => elsewhere(name, Date.now()));
  const mine = parsed(localStorage.getItem(place(name)));
  const source = mine?.source ?? stands;
  const dirty = mine !== undefined && mine.source !== stands;
  const keep = (next: Omit<Unsaved, "at"> | undefined) => {
    tab();
    if (next) localStorage.setItem(place(name), JSON.stringify({ ...next, at: Date.now() }));
    else localStorage.removeItem(place(name));
    redraw((n) => n + 1);
  };
  const edit = (next: string) => keep(next === stands ? undefined : { source: next, base: mine?.base ?? stands });
  const forget = () => keep(undefined);
  const rebase = () => keep({ source, base: stands }); // it goes over what stands now
  const moved = dirty && mine.base !== stands;
  const other = dirty ? undefined : others.find((o) => o.source !== stands);
  const takeOver = () => other && keep(other);
  return { source, dirty, moved, edit, forget, rebase, other, takeOver };
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

const none: PolicyCheck = { problems: [], asks: [], exists: [] };
