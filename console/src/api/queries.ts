import { queryOptions } from "@tanstack/react-query";
import { client, take } from "./client";
import type { Heard } from "./live";
import { everything, type List } from "./pages";
import type {
  AffectedDevice,
  Assignment,
  Change,
  ChangeEdit,
  ChangeEvent,
  ChangeSummary,
  Device,
  DeviceEvent,
  DirectoryEntry,
  EnrolmentToken,
  Finding,
  Group,
  Operator,
  Password,
  PolicySummary,
  RolloutDevice,
  RolloutSummary,
  Schemas,
  Standing,
  TrailEntry,
  Waiver,
} from "./types";

/*
 * Everything that the console reads. Each reading has its key, its function with the signal that ends it, and what makes it
 * old: topics of the service's changes, and the device that it is about where it is about one.
 */

export type DeviceFilter = { search?: string; standing?: Standing; group?: string };
export type FindingFilter = { state: Finding["state"]; unit?: string; kind?: string; group?: string };
export type EventFilter = { device?: string; kind?: string; group?: string };
export type TrailFilter = {
  actor?: string;
  action?: string;
  device?: string;
  on?: string;
  outcome?: TrailEntry["outcome"];
  since?: string;
  until?: string;
};
export type PasswordFilter = { search?: string; group?: string; overdue?: boolean };
export type ChangeFilter = { state?: Change["state"][]; search?: string };
export type RolloutDeviceFilter = { wave?: number; outcome?: RolloutDevice["outcome"] };
export type LadderFilter = { device?: string; group?: string };
export type DirectoryFilter = { search?: string; kind: "" | "user" | "group" };

const fleet: Heard = { hears: ["devices", "reports"] };
const edited: Heard = { hears: ["edits"] };
const rolling: Heard = { hears: ["rollouts"] };

/** One thing that is read whole. */
export const read = {
  session: () =>
    queryOptions({
      queryKey: ["session"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/session", { signal })),
      // Nobody who is not signed in loses what is being typed.
      refetchInterval: (query) => (query.state.data ? 60_000 : false),
      retry: false,
    }),
  watch: () =>
    queryOptions({
      queryKey: ["watch"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/watch", { signal })),
      meta: { hears: ["devices", "reports", "edits", "rollouts"] },
    }),
  rollout: (change: string) =>
    queryOptions({
      queryKey: ["rollout", change],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/rollouts/{name}", { params: { path: { name: change } }, signal })),
      meta: { hears: ["rollouts", "edits"] },
      refetchInterval: 5000, // soak passes without telling
    }),
  signInWays: () =>
    queryOptions({
      queryKey: ["sign-in-ways"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/sign-in-ways", { signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  deviceGrant: (code: string) =>
    queryOptions({
      queryKey: ["device-grant", code],
      queryFn: ({ signal }) => take(client.GET("/api/v1/device-grants/{code}", { params: { path: { code } }, signal })),
      retry: false,
    }),
  secondFactor: () =>
    queryOptions({
      queryKey: ["second-factor"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/second-factor", { signal })),
    }),
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
  brakes: () =>
    queryOptions({
      queryKey: ["brakes"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/brakes", { params: { query: { limit: 50 } }, signal })),
      meta: edited,
    }),
  rolloutDefaults: () =>
    queryOptions({
      queryKey: ["rollout-defaults"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/rollout-defaults", { signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  standingHistory: (days: number) =>
    queryOptions({
      queryKey: ["standing-history", days],
      queryFn: ({ signal }) => take(client.GET("/api/v1/standing-history", { params: { query: { days } }, signal })),
      refetchInterval: 300_000,
    }),
  standings: (filter: Omit<DeviceFilter, "standing">) =>
    queryOptions({
      queryKey: ["standings", filter],
      queryFn: ({ signal }) => take(client.GET("/api/v1/device-standings", { params: { query: filter }, signal })),
      meta: fleet,
    }),
  /** A device as it was at a time, in RFC 3339. What is over does not change. */
  deviceAt: (name: string, at: string) =>
    queryOptions({
      queryKey: ["device-at", name, at],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/devices/{name}/why", { params: { path: { name }, query: { at } }, signal })),
      staleTime: Number.POSITIVE_INFINITY,
      retry: false,
    }),
  device: (name: string) =>
    queryOptions({
      queryKey: ["device", name],
      queryFn: ({ signal }) => take(client.GET("/api/v1/devices/{name}/why", { params: { path: { name } }, signal })),
      meta: {
        hears: ["devices", "reports", "edits"],
        device: (data) => (data as Schemas["DeviceWhy"]).device.id,
      },
    }),
  settingHistory: (name: string, setting: string) =>
    queryOptions({
      queryKey: ["device", name, "history", setting],
      queryFn: ({ signal }) =>
        take(
          client.GET("/api/v1/devices/{name}/setting-history", {
            params: { path: { name }, query: { setting } },
            signal,
          }),
        ),
      meta: { hears: ["reports"] },
    }),
  devicePasswords: (name: string) =>
    queryOptions({
      queryKey: ["device", name, "passwords"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/devices/{name}/passwords", { params: { path: { name } }, signal })),
      meta: {
        hears: ["devices", "reports"],
        device: (data) => (data as { items: Schemas["DevicePassword"][] }).items[0]?.device_id,
      },
    }),
  deviceOrders: (device: string) =>
    queryOptions({
      queryKey: ["device", device, "orders"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/orders", { params: { query: { device, limit: 20 } }, signal })),
      meta: fleet,
    }),
  deviceReveals: (device: string) =>
    queryOptions({
      queryKey: ["device", device, "reveals"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/reveals", { params: { query: { device, limit: 20 } }, signal })),
      meta: fleet,
    }),
  devicesLike: (search: string) =>
    queryOptions({
      queryKey: ["devices", "like", search],
      enabled: search.length > 0,
      queryFn: ({ signal }) => take(client.GET("/api/v1/devices", { params: { query: { search, limit: 8 } }, signal })),
      meta: fleet,
    }),
  orderProgress: (name: string) =>
    queryOptions({
      queryKey: ["order-progress", name],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/order-progress/{name}", { params: { path: { name } }, signal })),
      refetchInterval: ({ state: { data } }) => (data && data.ended >= data.given ? false : 1000),
    }),
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
  openChanges: () =>
    queryOptions({
      queryKey: ["changes", "open"],
      queryFn: ({ signal }) =>
        take(
          client.GET("/api/v1/changes", {
            params: { query: { state: ["draft", "waiting", "approved", "going_out"], limit: 100 } },
            signal,
          }),
        ),
      meta: edited,
    }),
  change: (name: string) =>
    queryOptions({
      queryKey: ["change", name],
      enabled: name !== "",
      queryFn: ({ signal }) => take(client.GET("/api/v1/changes/{name}", { params: { path: { name } }, signal })),
      meta: edited,
    }),
  changePreview: (name: string, version: number) =>
    queryOptions({
      queryKey: ["change", name, "preview", version],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/changes/{name}/preview", { params: { path: { name } }, signal })),
      meta: fleet,
      retry: false,
    }),
  previewOf: (edits: ChangeEdit[]) =>
    queryOptions({
      queryKey: ["preview", edits],
      enabled: edits.length > 0,
      queryFn: ({ signal }) => take(client.POST("/api/v1/preview", { body: { edits }, signal })),
      retry: false,
    }),
  ladder: (filter: LadderFilter, edits: ChangeEdit[]) =>
    queryOptions({
      queryKey: ["ladder", filter, edits],
      queryFn: ({ signal }) => take(client.POST("/api/v1/ladder", { body: { ...filter, edits }, signal })),
      meta: edited,
      retry: false,
    }),
  ruleTrial: (rule: string) =>
    queryOptions({
      queryKey: ["rule-trial", rule],
      enabled: rule !== "",
      queryFn: ({ signal }) => take(client.POST("/api/v1/rule-trial", { body: { rule }, signal })),
      meta: fleet,
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
  directoryLike: (search: string) =>
    queryOptions({
      queryKey: ["directory", "like", search],
      enabled: search.length > 0,
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/directory", { params: { query: { search, limit: 8 } }, signal })),
      meta: edited,
    }),
  directoryConnection: () =>
    queryOptions({
      queryKey: ["directory", "connection"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/directory/connection", { signal })),
      meta: edited,
    }),
  approvals: () =>
    queryOptions({
      queryKey: ["approvals"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/approvals", { params: { query: { limit: 50 } }, signal })),
      meta: edited,
    }),
};

/** Lists that are read page by page. */
export const list = {
  devices: (filter: DeviceFilter): List<Device> => ({
    key: ["devices", filter],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/devices", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  findings: (filter: FindingFilter): List<Finding> => ({
    key: ["findings", filter],
    meta: { hears: ["reports"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/findings", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  events: (filter: EventFilter): List<DeviceEvent> => ({
    key: ["events", filter],
    meta: { hears: ["reports"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/device-events", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  trail: (filter: TrailFilter): List<TrailEntry> => ({
    key: ["trail", filter],
    meta: { hears: ["edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/trail", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  operators: (): List<Operator> => ({
    key: ["operators"],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/operators", { params: { query: { cursor, limit } }, signal })),
  }),
  passwords: (filter: PasswordFilter): List<Password> => ({
    key: ["passwords", filter],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/passwords", { params: { query: { ...filter, cursor, limit } }, signal })),
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
  changes: (filter: ChangeFilter): List<ChangeSummary> => ({
    key: ["changes", filter],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/changes", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  waivers: (state: Waiver["state"] | undefined): List<Waiver> => ({
    key: ["waivers", state],
    meta: { hears: ["reports", "edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/waivers", { params: { query: { state, cursor, limit } }, signal })),
  }),
  rollouts: (underWay: boolean): List<RolloutSummary> => ({
    key: ["rollouts", underWay],
    meta: rolling,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/rollouts", { params: { query: { under_way: underWay, cursor, limit } }, signal })),
  }),
  rolloutDevices: (change: string, filter: RolloutDeviceFilter): List<RolloutDevice> => ({
    key: ["rollout", change, "devices", filter],
    meta: rolling,
    page: (cursor, limit, signal) =>
      take(
        client.GET("/api/v1/rollouts/{name}/devices", {
          params: { path: { name: change }, query: { ...filter, cursor, limit } },
          signal,
        }),
      ),
  }),
  changeHistory: (name: string): List<ChangeEvent> => ({
    key: ["change", name, "history"],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(
        client.GET("/api/v1/changes/{name}/history", { params: { path: { name }, query: { cursor, limit } }, signal }),
      ),
  }),
  affected: (name: string, version: number): List<AffectedDevice> => ({
    key: ["change", name, "affected", version],
    meta: { hears: [] },
    page: (cursor, limit, signal) =>
      take(
        client.GET("/api/v1/changes/{name}/preview/devices", {
          params: { path: { name }, query: { cursor, limit } },
          signal,
        }),
      ),
  }),
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
