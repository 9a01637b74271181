import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";
import { fleet } from "./hears";

/** What is read whole of orders to devices. */
export const read = {
  deviceOrders: (device: string) =>
    queryOptions({
      queryKey: ["device", device, "orders"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/orders", { params: { query: { device, limit: 20 } }, signal })),
      meta: fleet,
    }),
  orderProgress: (name: string) =>
    queryOptions({
      queryKey: ["order-progress", name],
      queryFn: ({ signal }) =>
        take(client.GET("/api/v1/order-progress/{name}", { params: { path: { name } }, signal })),
      refetchInterval: ({ state: { data } }) => (data && data.ended >= data.given ? false : 1000),
    }),
};
