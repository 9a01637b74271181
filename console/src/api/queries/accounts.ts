import { client, take } from "../client";
import type { List } from "../pages";
import type { AccountName, LocalAccount, LocalMember } from "../types";
import { fleet } from "./hears";

/** What narrows a list of account names. */
export type AccountFilter = { search?: string; unknown?: boolean; privileged?: boolean; group?: string };

/** Lists of what is there, page by page. */
export const list = {
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
