import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import type { List } from "../pages";
import type { AccountName, AccountOrder, LocalAccount, LocalMember } from "../types";
import { fleet } from "./hears";

/** What narrows a list of account names. */
export type AccountFilter = { search?: string; unknown?: boolean; privileged?: boolean; group?: string };

export const read = {
  /** The first account names that have a text in them. */
  accountsLike: (search: string) =>
    queryOptions({
      queryKey: ["accounts", "like", search],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/accounts", { params: { query: { search, limit: 5 } }, signal })),
      meta: fleet,
    }),
  /** What an order to let go of an account would do; asked for anew each time, since devices go on reporting. */
  accountOrder: (order: AccountOrder) => ({
    queryKey: ["account-order", order],
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      take(client.POST("/api/v1/account-order-previews", { body: order, signal })),
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
  }),
};

/** Lists of what is there, page by page. */
export const list = {
  leftBehind: (group: string): List<LocalAccount> => ({
    key: ["left-behind", group],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/left-behind-accounts", { params: { query: { group, cursor, limit } }, signal })),
  }),
  accounts: (filter: AccountFilter): List<AccountName> => ({
    key: ["accounts", filter],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/accounts", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
  accountDevices: (name: string): List<LocalAccount> => ({
    key: ["account-devices", name],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/account-devices", { params: { query: { name, cursor, limit } }, signal })),
  }),
  memberships: (principal: string, all: boolean): List<LocalMember> => ({
    key: ["memberships", principal, all],
    meta: fleet,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/memberships", { params: { query: { principal, all, cursor, limit } }, signal })),
  }),
};
