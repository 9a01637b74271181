import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import { everything, type List } from "../pages";
import type { Assignment, ChangeEdit, PolicySummary } from "../types";
import type { LadderFilter } from "./filters";
import { edited } from "./hears";

/** What is read whole of policies, assignments and the ladder. */
export const read = {
  policy: (name: string) =>
    queryOptions({
      queryKey: ["policy", name],
      queryFn: ({ signal }) => take(client.GET("/api/v1/policies/{name}", { params: { path: { name } }, signal })),
      meta: edited,
    }),
  policyUses: (policy: string) =>
    queryOptions({
      queryKey: ["policy", policy, "uses"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/assignments", { params: { query: { policy, limit: 100 } }, signal })),
      meta: edited,
    }),
  policyRevisions: (name: string) =>
    queryOptions({
      queryKey: ["policy", name, "revisions"],
      queryFn: ({ signal }) =>
        take(
          client.GET("/api/v1/policies/{name}/revisions", { params: { path: { name }, query: { limit: 10 } }, signal }),
        ),
    }),
  policyCheck: (source: string) =>
    queryOptions({
      queryKey: ["policy-check", source],
      enabled: source !== "",
      queryFn: ({ signal }) => take(client.POST("/api/v1/policy-check", { body: { source }, signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  assignment: (name: string) =>
    queryOptions({
      queryKey: ["assignment", name],
      queryFn: ({ signal }) => take(client.GET("/api/v1/assignments/{name}", { params: { path: { name } }, signal })),
      meta: edited,
    }),
  assignments: () =>
    queryOptions({
      queryKey: ["assignments", "all"],
      queryFn: async ({ signal }) => ({ items: await everything(list.assignments(undefined), signal) }),
      meta: edited,
    }),
  policyNames: () =>
    queryOptions({
      queryKey: ["policies", "names"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/policies", { params: { query: { limit: 500 } }, signal })),
      meta: edited,
    }),
  ladder: (filter: LadderFilter, edits: ChangeEdit[]) =>
    queryOptions({
      queryKey: ["ladder", filter, edits],
      queryFn: ({ signal }) => take(client.POST("/api/v1/ladder", { body: { ...filter, edits }, signal })),
      meta: edited,
      retry: false,
    }),
  policySchema: () =>
    queryOptions({
      queryKey: ["policy-schema"],
      queryFn: async ({ signal }) => {
        const schema: unknown = await take(client.GET("/api/v1/policy-schema.json", { signal }));
        return (typeof schema === "string" ? JSON.parse(schema) : schema) as object;
      },
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
};

/** Lists of policies, assignments and the ladder, page by page. */
export const list = {
  assignments: (policy: string | undefined): List<Assignment> => ({
    key: ["assignments", policy],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/assignments", { params: { query: { policy, cursor, limit } }, signal })),
  }),
  policies: (search: string | undefined): List<PolicySummary> => ({
    key: ["policies", search],
    meta: { hears: ["devices", "reports", "edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/policies", { params: { query: { search, cursor, limit } }, signal })),
  }),
};
