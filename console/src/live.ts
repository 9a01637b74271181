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
    "approvals",
  ],
  keys: ["escrow-keys"],
};

type News = { topics?: string[]; connected?: boolean };

const name = "rankwarden-live";

/** Milliseconds between two readings of the same thing at least, however busy the fleet is. */
const pause = 1000;

/** How many times as long as a reading took it then rests, so that a slow service is not asked all the time. */
const rest = 4;

/** Reads again what became old: each thing once at a time, and not what just failed. */
class Refresher {
  private readonly waiting = new Set<string>();
  private readonly notBefore = new Map<string, number>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly queries: QueryClient;

  constructor(queries: QueryClient) {
    this.queries = queries;
  }

  hear(topics: string[]) {
    for (const topic of topics) for (const key of stale[topic] ?? []) this.waiting.add(key);
    this.plan();
  }

  end() {
    clearTimeout(this.timer);
    this.waiting.clear();
  }

  private plan() {
    if (this.timer !== undefined || this.waiting.size === 0) return;
    this.timer = setTimeout(() => {
      this.timer = undefined;
      for (const key of [...this.waiting]) this.read(key);
      this.plan();
    }, pause);
  }

  private async read(key: string) {
    const begun = Date.now();
    // What is being read now may be from before the change; it ends first, and is read once more.
    if ((this.notBefore.get(key) ?? 0) > begun || this.queries.isFetching({ queryKey: [key] }) > 0) return;
    this.waiting.delete(key);
    // What failed is tried again in its own time, by the interval of its query.
    await this.queries.invalidateQueries({ queryKey: [key], predicate: (query) => query.state.status !== "error" });
    this.notBefore.set(key, begun + Math.max(pause, (Date.now() - begun) * rest));
  }
}

/** Milliseconds after which a broken stream is opened again, at first and at most. */
const again = { first: 1000, most: 30_000 };

/** Keeps the service's stream of changes open, until the signal. */
function listen(tell: (news: News) => void, signal: AbortSignal): Promise<void> {
  return new Promise((done) => {
    let stream: EventSource;
    let wait = again.first;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const open = () => {
      stream = new EventSource("/api/v1/events");
      stream.addEventListener("open", () => {
        wait = again.first;
        // Whatever happened before the stream was open, or while it was broken, may have been missed.
        tell({ connected: true, topics: Object.keys(stale) });
      });
      stream.addEventListener("error", () => {
        tell({ connected: false });
        if (stream.readyState !== EventSource.CLOSED) return; // the browser opens it again itself
        // Refused, and a browser gives up then: the service, or what stands before it, may be starting.
        stream.close();
        clearTimeout(timer);
        timer = setTimeout(open, wait * (0.5 + Math.random()));
        wait = Math.min(wait * 2, again.most);
      });
      stream.addEventListener("change", (event) => tell(JSON.parse(event.data) as News));
    };
    open();
    signal.addEventListener("abort", () => {
      clearTimeout(timer);
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
    const refresher = new Refresher(queries);
    const hear = (news: News) => {
      if (news.connected !== undefined) setConnected(news.connected);
      refresher.hear(news.topics ?? []);
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
      refresher.end();
      end.abort();
      others.close();
    };
  }, [queries, signedIn]);
  return connected;
}
