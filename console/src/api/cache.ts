import { QueryClient } from "@tanstack/react-query";
import { Refusal } from "./client";

/** What is kept of readings, and when they are read again without being told. */
export const newCache = () =>
  new QueryClient({
    defaultOptions: {
      queries: {
        staleTime: 30_000,
        // Devices fall silent without telling; what failed is tried sooner.
        refetchInterval: (query) => (query.state.status === "error" ? 10_000 : 60_000),
        retry: (failures, error) => failures < 2 && !(error instanceof Refusal && error.status >= 400),
      },
    },
  });
