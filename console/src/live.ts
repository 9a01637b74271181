import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** What each topic of the service's changes makes old. */
const stale: Record<string, string[]> = {
  devices: ["watch", "devices", "standings", "device", "policies"],
  reports: ["watch", "devices", "standings", "device", "findings", "finding-sums", "policies"],
  edits: ["watch", "policies", "policy", "groups", "device"],
};

function refresh(queries: QueryClient, topics: string[]) {
  const keys = new Set(topics.flatMap((topic) => stale[topic] ?? []));
  for (const key of keys) queries.invalidateQueries({ queryKey: [key] });
}

/** Listens to the service's changes; true while it is connected. */
export function useLive(signedIn: boolean): boolean {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    if (!signedIn) return;
    const stream = new EventSource("/api/v1/events");
    let broken = false;
    stream.addEventListener("open", () => {
      setConnected(true);
      if (broken) refresh(queries, Object.keys(stale)); // anything may have changed meanwhile
      broken = false;
    });
    stream.addEventListener("error", () => {
      broken = true;
      setConnected(false);
    });
    stream.addEventListener("change", (event) => {
      refresh(queries, (JSON.parse(event.data) as { topics: string[] }).topics);
    });
    return () => stream.close();
  }, [queries, signedIn]);
  return connected;
}
