import { queryOptions } from "@tanstack/react-query";
import { client, match, take } from "./client";
import type { List } from "./pages";
import type { Schemas } from "./types";

/*
 * What owners set up for the organisation: where notifications go, keys, tokens, settings. Deliveries have no topic of their own in the live stream, so
 * they are read again every few seconds.
 */

export type Target = Schemas["NotificationTarget"];
export type TargetSpec = Schemas["NotificationTargetSpec"];
export type Delivery = Schemas["Delivery"];
export type EscrowKey = Schemas["EscrowKey"];
export type Token = Schemas["Token"];
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
  keys: () =>
    queryOptions({
      queryKey: ["escrow-keys"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/escrow-keys", { signal })),
      meta: { hears: ["keys", "edits"] },
    }),
  settings: () =>
    queryOptions({
      queryKey: ["settings"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/settings", { signal })),
    }),
  unrecovered: (): List<Schemas["UnrecoveredPassword"]> => ({
    key: ["unrecovered-passwords"],
    meta: { hears: ["reports"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/unrecovered-passwords", { params: { query: { cursor, limit } }, signal })),
  }),
  myTokens: (): List<Token> => ({
    key: ["tokens", "mine"],
    meta: { hears: ["edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/tokens", { params: { query: { cursor, limit } }, signal })),
  }),
  tokens: (): List<Token> => ({
    key: ["tokens"],
    meta: { hears: ["edits"] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/tokens", { params: { query: { all: true, cursor, limit } }, signal })),
  }),
  deliveries: (filter: DeliveryFilter): List<Delivery> => ({
    key: ["deliveries", filter],
    meta: { hears: [] },
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/deliveries", { params: { query: { ...filter, cursor, limit } }, signal })),
    every: often,
  }),
};

/** Every list of one kind, however it is narrowed. */
export const every = { deliveries: ["deliveries"], tokens: ["tokens"] };

export const setUp = {
  decideKey: (number: number, approve: boolean) =>
    take(client.POST("/api/v1/escrow-keys/{number}/decision", { params: { path: { number } }, body: { approve } })),
  retireKey: (number: number) =>
    take(client.POST("/api/v1/escrow-keys/{number}/retire", { params: { path: { number } } })),
  reseal: (number: number) =>
    take(client.POST("/api/v1/escrow-keys/{number}/reseal", { params: { path: { number } } })),
  stopReseal: (number: number) =>
    take(client.DELETE("/api/v1/escrow-keys/{number}/reseal", { params: { path: { number } } })),
  createToken: (body: Schemas["TokenRequestBody"]) => take(client.POST("/api/v1/tokens", { body })),
  revokeToken: (id: string) => take(client.DELETE("/api/v1/tokens/{name}", { params: { path: { name: id } } })),
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
