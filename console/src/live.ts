import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** What each topic of the service's changes makes old. */
const stale: Record<string, string[]> = {
  devices: [
    "watch",
    "devices",
    "standings",
    "device",
    "policies",
    "groups",
    "passwords",
    "device-passwords",
    "reveals",
  ],
  reports: [
    "watch",
    "devices",
    "standings",
    "device",
    "findings",
    "finding-sums",
    "policies",
    "events",
    "passwords",
    "device-passwords",
    "reveals",
  ],
  edits: [
    "watch",
    "policies",
    "policy",
    "groups",
    "group-devices",
    "device",
    "directory",
    "directory-connection",
    "agreements",
  ],
  keys: ["escrow-keys"],
};

function refresh(queries: QueryClient, topics: string[]) {
  const keys = new Set(topics.flatMap((topic) => stale[topic] ?? []));
  for (const key of keys) queries.invalidateQueries({ queryKey: [key] });
}

type News = { topics?: string[]; connected?: boolean };

const name = "rankwarden-live";

/** Milliseconds in which changes are gathered, so that a busy fleet is not read again for each. */
const pause = 500;

/** Opens the service's stream of changes, until the signal. */
function listen(tell: (news: News) => void, signal: AbortSignal): Promise<void> {
  return new Promise((done) => {
    const stream = new EventSource("/api/v1/events");
    // Whatever happened before the stream was open, or while it was broken, may have been missed.
    stream.addEventListener("open", () => tell({ connected: true, topics: Object.keys(stale) }));
    stream.addEventListener("error", () => tell({ connected: false }));
    stream.addEventListener("change", (event) => tell(JSON.parse(event.data) as News));
    signal.addEventListener("abort", () => {
      stream.close();
      done();
    });
  });
}

/**
 * Listens to the service's changes; true while it is connected. A browser opens few connections to
 * one address, so one tab listens for all of them, and another takes over when that one is closed.
 */
export function useLive(signedIn: boolean): boolean {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    if (!signedIn) return;
    let end = new AbortController();
    const others = new BroadcastChannel(name);
    const waiting = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    const hear = (news: News) => {
      if (news.connected !== undefined) setConnected(news.connected);
      for (const topic of news.topics ?? []) waiting.add(topic);
      if (waiting.size === 0 || timer !== undefined) return;
      timer = setTimeout(() => {
        timer = undefined;
        refresh(queries, [...waiting]);
        waiting.clear();
      }, pause);
    };
    others.addEventListener("message", (event) => hear(event.data as News));
    const lead = () =>
      listen((news) => {
        hear(news);
        others.postMessage(news);
      }, end.signal);
    const begin = () => {
      end = new AbortController();
      if (navigator.locks) {
        navigator.locks.request(name, { signal: end.signal }, lead).catch(() => undefined); // given up before its turn
      } else {
        lead(); // locks need a secure address; without one every tab listens for itself
      }
    };
    // A page that the browser only keeps for going back must not listen for the others.
    const leave = () => end.abort();
    const comeBack = (event: PageTransitionEvent) => event.persisted && begin();
    addEventListener("pagehide", leave);
    addEventListener("pageshow", comeBack);
    begin();
    return () => {
      removeEventListener("pagehide", leave);
      removeEventListener("pageshow", comeBack);
      clearTimeout(timer);
      end.abort();
      others.close();
    };
  }, [queries, signedIn]);
  return connected;
}
