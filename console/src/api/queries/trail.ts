import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { TrailEntry } from "../types";
import type { TrailFilter } from "./filters";
import { edited } from "./hears";

/** What is read whole of the audit trail. */
export const read = {
  checkpoint: () =>
    queryOptions({
      queryKey: ["checkpoint"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/trail/checkpoints", { params: { query: { limit: 1 } }, signal })),
      meta: edited,
    }),
  trailEntry: (seq: number) =>
    queryOptions({
      queryKey: ["trail-entry", seq],
      queryFn: ({ signal }) => take(client.GET("/api/v1/trail/entries/{seq}", { params: { path: { seq } }, signal })),
      staleTime: Number.POSITIVE_INFINITY, // an entry never changes
      refetchInterval: false,
    }),
};

/** Lists of the audit trail, page by page. */
export const list = {
  trail: (filter: TrailFilter): List<TrailEntry> => ({
    key: ["trail", filter],
    meta: { hears: ["edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/trail", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
};
