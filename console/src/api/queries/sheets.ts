import { client, take } from "../client";
import type { List } from "../pages";
import type { Sheet } from "../types";
import { edited } from "./hears";

export const list = {
  sheets: (): List<Sheet> => ({
    key: ["sheets"],
    meta: edited,
    page: (cursor, limit, signal) =>
      take(client.GET("/api/v1/sheets", { params: { query: { cursor, limit } }, signal })),
  }),
};
