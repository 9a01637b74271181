import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { Finding, Waiver } from "../types";
import type { FindingFilter } from "./filters";

/** What is read whole of findings and waivers. */
export const read = {
  findingSums: (state: Finding["state"], group: string | undefined) =>
    queryOptions({
      queryKey: ["finding-sums", state, group],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/finding-sums", { params: { query: { state, group } }, signal })),
      meta: { hears: ["reports"] },
    }),
  findingCounts: (by: "assignment" | "group" | "device", narrow: { group?: string; unit?: string; kind?: string }) =>
    queryOptions({
      queryKey: ["finding-counts", by, narrow],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/finding-counts", { params: { query: { by, ...narrow } }, signal })),
      meta: { hears: ["reports"] },
    }),
};

/** Lists of findings and waivers, page by page. */
export const list = {
  findings: (filter: FindingFilter): List<Finding> => ({
    key: ["findings", filter],
    meta: { hears: ["reports"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/findings", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  waivers: (state: Waiver["state"] | undefined): List<Waiver> => ({
    key: ["waivers", state],
    meta: { hears: ["reports", "edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/waivers", { params: { query: { state, cursor, limit } }, signal })),
  }),
};
