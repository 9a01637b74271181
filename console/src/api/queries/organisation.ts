import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import { everything, type List } from "../pages";
import type { DirectoryEntry, EnrolmentToken, Group, Operator, Schemas } from "../types";
import type { DirectoryFilter } from "./filters";
import { edited, fleet } from "./hears";

/** Devices whose facts go in one request at most. */
export const factsAtOnce = 5000;

/** What is read whole of groups, the directory and people. */
export const read = {
  groupNames: () =>
    queryOptions({
      queryKey: ["groups", "names"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/groups", { params: { query: { limit: 500 } }, signal })),
      meta: { hears: ["devices", "edits"] },
    }),
  groupDevices: (name: string) =>
    queryOptions({
      queryKey: ["groups", "devices", name],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/groups/{name}/devices", { params: { path: { name }, query: { limit: 12 } }, signal })),
      meta: edited,
    }),
  groupList: (name: string) =>
    queryOptions({
      queryKey: ["groups", "list-of", name],
      queryFn: async ({ signal }) => (await everything(list.groupMembers(name), signal)).map((m) => m.device),
      meta: edited,
    }),
  ruleTrial: (rule: string) =>
    queryOptions({
      queryKey: ["rule-trial", rule],
      enabled: rule !== "",
      queryFn: ({ signal }) => take(client.POST("/api/v1/rule-trial", { body: { rule }, signal })),
      meta: fleet,
      retry: false,
    }),
  /** What facts would alter, worked out in as many requests as it takes. */
  factsTrial: (facts: Schemas["Facts"][]) =>
    queryOptions({
      queryKey: ["facts-trial", facts],
      enabled: facts.length > 0,
      queryFn: async ({ signal }) => {
        const all: Schemas["FactsTrial"] = { altered: [], devices: 0, unknown: [], groups: [] };
        for (let from = 0; from < facts.length; from += factsAtOnce) {
          const devices = facts.slice(from, from + factsAtOnce);
          const part = await take(client.POST("/api/v1/device-facts/trial", { body: { devices }, signal }));
          all.altered.push(...part.altered);
          all.unknown.push(...part.unknown);
          all.devices += part.devices;
          for (const g of part.groups) {
            const known = all.groups.find((other) => other.group === g.group);
            known?.joins.push(...g.joins);
            known?.leaves.push(...g.leaves);
            if (!known) all.groups.push(g);
          }
        }
        return all;
      },
      meta: fleet,
      retry: false,
    }),
  directoryLike: (search: string) =>
    queryOptions({
      queryKey: ["directory", "like", search],
      enabled: search.length > 0,
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/directory", { params: { query: { search, limit: 8 } }, signal })),
      meta: edited,
    }),
  roles: () =>
    queryOptions({
      queryKey: ["roles"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/roles", { signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  letters: () =>
    queryOptions({
      queryKey: ["directory", "letters"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/directory/letters", { signal })),
      meta: edited,
      staleTime: 300_000,
    }),
  directoryConnection: () =>
    queryOptions({
      queryKey: ["directory", "connection"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/directory/connection", { signal })),
      meta: edited,
    }),
};

/** Lists of groups, the directory and people, page by page. */
export const list = {
  operators: (): List<Operator> => ({
    key: ["operators"],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/operators", { params: { query: { cursor, limit } }, signal })),
  }),
  groups: (search: string | undefined): List<Group> => ({
    key: ["groups", "list", search],
    meta: { hears: ["devices", "edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/groups", { params: { query: { search, cursor, limit } }, signal })),
  }),
  groupMembers: (name: string): List<Schemas["GroupMember"]> => ({
    key: ["groups", "members", name],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(
        client.GET("/api/v1/groups/{name}/devices", { params: { path: { name }, query: { cursor, limit } }, signal }),
      ),
  }),
  enrolmentTokens: (): List<EnrolmentToken> => ({
    key: ["enrolment-tokens"],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/enrolment-tokens", { params: { query: { cursor, limit } }, signal })),
  }),
  directory: (filter: DirectoryFilter): List<DirectoryEntry> => ({
    key: ["directory", filter],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/directory", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
};
