import { client, take } from "../client";
import type { List } from "../pages";
import type { Warrant } from "../types";
import { edited } from "./hears";

/** What narrows a list of warrants. */
export type WarrantFilter = { open?: boolean; device?: string };

export const list = {
  warrants: (filter: WarrantFilter): List<Warrant> => ({
    key: ["warrants", filter],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/warrants", { params: { query: { ...filter, cursor, limit } }, signal })),
  }),
};
