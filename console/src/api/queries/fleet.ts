import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { Device, DeviceEvent, Schemas } from "../types";
import type { DeviceFilter, EventFilter } from "./filters";
import { fleet } from "./hears";

/** What is read whole of devices as they are, and as they were. */
export const read = {
  watch: () =>
    queryOptions({
      queryKey: ["watch"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/watch", { signal })),
      meta: { hears: ["devices", "reports", "edits", "rollouts"] },
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
  handover: (name: string) =>
    queryOptions({
      queryKey: ["handover", name],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/devices/{name}/handover", { params: { path: { name } }, signal })),
      gcTime: 0,
      staleTime: Number.POSITIVE_INFINITY,
    }),
  devicesLike: (search: string) =>
    queryOptions({
      queryKey: ["devices", "like", search],
      enabled: search.length > 0,
      queryFn: ({ signal }) => take(client.GET("/api/v1/devices", { params: { query: { search, limit: 8 } }, signal })),
      meta: fleet,
    }),
};

/** Lists of devices as they are, and as they were, page by page. */
export const list = {
  devices: (filter: DeviceFilter): List<Device> => ({
    key: ["devices", filter],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/devices", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  events: (filter: EventFilter): List<DeviceEvent> => ({
    key: ["events", filter],
    meta: { hears: ["reports"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/device-events", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
};
