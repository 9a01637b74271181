import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { AffectedDevice, ChangeEdit, ChangeEvent, ChangeSummary, RolloutDevice, RolloutSummary } from "../types";
import type { ChangeFilter, RolloutDeviceFilter } from "./filters";
import { edited, fleet, rolling } from "./hears";

/** What is read whole of changes and rollouts. */
export const read = {
  rollout: (change: string) =>
    queryOptions({
      queryKey: ["rollout", change],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/rollouts/{name}", { params: { path: { name: change } }, signal })),
      meta: { hears: ["rollouts", "edits"] },
      refetchInterval: 5000, // soak passes without telling
    }),
  brake: (id: string) =>
    queryOptions({
      queryKey: ["brakes", id],
      queryFn: ({ signal }) => take(client.GET("/api/v1/brakes/{name}", { params: { path: { name: id } }, signal })),
      meta: edited,
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
  /** Who could approve a change that waits, of the first operators. */
  changeApprovers: (name: string) =>
    queryOptions({
      queryKey: ["change", name, "approvers"],
      queryFn: ({ signal }) =>
        take(
          client.GET("/api/v1/changes/{name}/approvers", {
            params: { path: { name }, query: { limit: 200 } },
            signal,
          }),
        ),
      meta: { hears: [] }, // a change that no longer waits has none
      retry: false,
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
};

/** Lists of changes and rollouts, page by page. */
export const list = {
  changes: (filter: ChangeFilter): List<ChangeSummary> => ({
    key: ["changes", filter],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/changes", { params: { query: { ...filter, cursor, limit } }, signal })),
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
};
