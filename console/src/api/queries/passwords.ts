import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { Password, Schemas } from "../types";
import type { PasswordFilter } from "./filters";
import { edited, fleet } from "./hears";

/** What is read whole of passwords, views of them and approvals. */
export const read = {
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
  deviceReveals: (device: string) =>
    queryOptions({
      queryKey: ["device", device, "reveals"],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/reveals", { params: { query: { device, limit: 20 } }, signal })),
      meta: fleet,
    }),
  approvals: () =>
    queryOptions({
      queryKey: ["approvals"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/approvals", { params: { query: { limit: 50 } }, signal })),
      meta: edited,
    }),
};

/** Lists of passwords, views of them and approvals, page by page. */
export const list = {
  passwords: (filter: PasswordFilter): List<Password> => ({
    key: ["passwords", filter],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/passwords", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
};
