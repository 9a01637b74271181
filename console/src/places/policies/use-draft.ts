import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { read } from "@/api/queries";
import type { PolicyCheck } from "@/api/types";

/** What is typed and not saved yet, by policy, for as long as the page is open. */
const unsaved = new Map<string, { source: string; over: number }>();

/** The draft that is being edited, kept when one looks at another page meanwhile. */
export function useDraft(name: string, saved: { source: string; version: number } | undefined) {
  const [, redraw] = useState(0);
  const mine = unsaved.get(name);
  const source = mine?.source ?? saved?.source ?? "";
  const over = mine?.over ?? saved?.version ?? 0;
  const dirty = mine !== undefined && mine.source !== saved?.source;
  const edit = (next: string) => {
    if (next === saved?.source) unsaved.delete(name);
    else unsaved.set(name, { source: next, over });
    redraw((n) => n + 1);
  };
  const forget = () => {
    unsaved.delete(name);
    redraw((n) => n + 1);
  };
  useEffect(() => {
    if (!dirty) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    addEventListener("beforeunload", ask);
    return () => removeEventListener("beforeunload", ask);
  }, [dirty]);
  const moved = mine !== undefined && saved !== undefined && saved.version !== mine.over;
  return { source, over, dirty, moved, edit, forget };
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
