import { queryOptions } from "@tanstack/react-query";
import { client, match, take } from "./client";
import type { List } from "./pages";
import type { Schemas } from "./types";

/*
 * What owners set up for the organisation: where notifications go. Deliveries have no topic of their own in the live stream, so
 * they are read again every few seconds.
 */

export type Target = Schemas["NotificationTarget"];
export type TargetSpec = Schemas["NotificationTargetSpec"];
export type Delivery = Schemas["Delivery"];
export type DeliveryFilter = { target?: string; state?: Delivery["state"]; event?: string };

/** What an owner said of a target, to say it again with something else. */
export const specOf = (t: Target): TargetSpec => ({
  kind: t.kind,
  address: t.address,
  events: t.events,
  groups: t.groups,
  enabled: t.enabled,
  from: t.from,
  to: t.to,
  user: t.user,
  ca: t.ca,
});

const often = 4000; // milliseconds

export const organisation = {
  targets: () =>
    queryOptions({
      queryKey: ["notification-targets"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/notification-targets", { params: { query: { limit: 100 } }, signal })),
      refetchInterval: often,
    }),
  deliveries: (filter: DeliveryFilter): List<Delivery> => ({
    key: ["deliveries", filter],
    meta: { hears: [] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/deliveries", { params: { query: { ...filter, cursor, limit } }, signal })),
    every: often,
  }),
};

export const setUp = {
  createTarget: (body: TargetSpec & { name: string }) => take(client.POST("/api/v1/notification-targets", { body })),
  editTarget: (name: string, version: number, body: TargetSpec) =>
    take(
      client.PUT("/api/v1/notification-targets/{name}", {
        params: { path: { name }, header: { "If-Match": match(version) } },
        body,
      }),
    ),
  deleteTarget: (name: string, version: number) =>
    take(
      client.DELETE("/api/v1/notification-targets/{name}", {
        params: { path: { name }, header: { "If-Match": match(version) } },
      }),
    ),
  testTarget: (name: string) =>
    take(client.POST("/api/v1/notification-targets/{name}/test", { params: { path: { name } } })),
  sendAgain: (name: string, delivery?: number) =>
    take(
      client.POST("/api/v1/notification-targets/{name}/send-again", {
        params: { path: { name }, query: { delivery } },
      }),
    ),
};
