import { queryOptions } from "@tanstack/react-query";
import { client, take } from "./client";
import type { Schemas } from "./types";

/* The posture report: how a group stood over the last days. */

export type Posture = Schemas["Posture"];

const since = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString();

export const posture = (group: string, days: number) =>
  queryOptions({
    queryKey: ["posture", group, days],
    queryFn: ({ signal }) =>
      take(
        client.GET("/api/v1/posture", {
          params: { query: { ...(group ? { group } : {}), since: since(days) } },
          signal,
        }),
      ),
    refetchInterval: false, // a report is of one moment
  });

/** Where the same report is to be had as a file. */
export const postureFile = (format: "csv" | "json", group: string, days: number) =>
  `/api/v1/posture${format === "csv" ? ".csv" : ""}?${new URLSearchParams({ ...(group ? { group } : {}), since: since(days) })}`;
