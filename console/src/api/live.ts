import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { heard } from "./heard";

const topics = ["devices", "reports", "edits", "keys", "rollouts"] as const;

/** What a change of the service may be about. */
export type Topic = (typeof topics)[number];

/** What makes a reading old, and which device it is about, by identifier, where it is about one. */
export type Heard = { hears?: Topic[]; device?: (data: unknown) => string | undefined };

declare module "@tanstack/react-query" {
  interface Register {
    queryMeta: Heard;
  }
}

/** What the service tells; without devices any may have changed. Anew: the stream was opened, so it answers again. */
export type News = { topics?: string[]; devices?: string[]; anew?: boolean };

/** Topics that name the devices that they are about. */
const named: string[] = ["devices", "reports"] satisfies Topic[];

/** Whether news make a reading old. */
export function concerns(news: News, meta: Heard | undefined, data: unknown): boolean {
  const heard = (news.topics ?? []).filter((topic) => meta?.hears?.includes(topic as Topic));
  if (heard.length === 0) return false;
  const device = data === undefined ? undefined : meta?.device?.(data);
  if (!device || !news.devices?.length || heard.some((topic) => !named.includes(topic))) return true;
  return news.devices.includes(device);
}

const name = "rankwarden-live";

/** Milliseconds between two readings of the same thing at least, however busy the fleet is. */
const pause = 1000;

/** How many times as long as a reading took it then rests, so that a slow service is not asked all the time. */
const rest = 4;

/** Reads again what became old: each thing once at a time, and what failed only when the service is heard anew. */
export class Refresher {
  private readonly waiting = new Set<string>(); // hashes of keys
  private readonly notBefore = new Map<string, number>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly queries: QueryClient;

  constructor(queries: QueryClient) {
    this.queries = queries;
  }

  hear(news: News) {
    for (const query of this.queries.getQueryCache().getAll()) {
      // What failed is tried again in its own time, by the interval of its query, or once when the service is back.
      if (query.state.status === "error" && !news.anew) continue;
      if (concerns(news, query.meta, query.state.data)) this.waiting.add(query.queryHash);
    }
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
      for (const hash of [...this.waiting]) this.read(hash);
      this.plan();
    }, pause);
  }

  private async read(hash: string) {
    const begun = Date.now();
    const query = this.queries.getQueryCache().get(hash);
    // What is being read now may be from before the change; it ends first, and is read once more.
    if (query && ((this.notBefore.get(hash) ?? 0) > begun || query.state.fetchStatus === "fetching")) return;
    this.waiting.delete(hash);
    if (!query) return;
    await this.queries.invalidateQueries({ queryKey: query.queryKey, exact: true });
    this.notBefore.set(hash, begun + Math.max(pause, (Date.now() - begun) * rest));
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
        tell({ topics: [...topics], anew: true });
      });
      stream.addEventListener("error", () => {
        if (stream.readyState !== EventSource.CLOSED) return; // the browser opens it again itself
        // Refused, and a browser gives up then: the service, or what stands before it, may be starting.
        stream.close();
        clearTimeout(timer);
        timer = setTimeout(open, wait * (0.5 + Math.random()));
        wait = Math.min(wait * 2, again.most);
      });
      stream.addEventListener("beat", () => tell({}));
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
 * Listens to the service's changes. A browser opens few connections to one address, so one tab listens for all of them,
 * and another takes over when that one is closed.
 */
export function useLive(signedIn: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!signedIn) return;
    let end = new AbortController();
    const others = new BroadcastChannel(name);
    const refresher = new Refresher(queries);
    const hear = (news: News) => {
      heard();
      refresher.hear(news);
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
}
