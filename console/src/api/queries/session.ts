import { queryOptions } from "@tanstack/react-query";
import { client, take } from "../client";

/** What is read whole of the session and the ways to sign in. */
export const read = {
  session: () =>
    queryOptions({
      queryKey: ["session"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/session", { signal })),
      // Nobody who is not signed in loses what is being typed.
      refetchInterval: (query) => (query.state.data ? 60_000 : false),
      retry: false,
    }),
  tour: () =>
    queryOptions({
      queryKey: ["tour"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/session/tour", { signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  signInWays: () =>
    queryOptions({
      queryKey: ["sign-in-ways"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/sign-in-ways", { signal })),
      staleTime: Number.POSITIVE_INFINITY,
      refetchInterval: false,
    }),
  deviceGrant: (code: string) =>
    queryOptions({
      queryKey: ["device-grant", code],
      queryFn: ({ signal }) => take(client.GET("/api/v1/device-grants/{code}", { params: { path: { code } }, signal })),
      retry: false,
    }),
  secondFactor: () =>
    queryOptions({
      queryKey: ["second-factor"],
      queryFn: ({ signal }) => take(client.GET("/api/v1/second-factor", { signal })),
    }),
};
