import { QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Refusal } from "./api";
import { App } from "./app";
import "./theme.css";

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    onError: (error, query) => {
      // Whatever page notices that the session has ended, the sign-in is asked for at once.
      if (error instanceof Refusal && error.status === 401 && query.queryKey[0] !== "session") {
        queries.invalidateQueries({ queryKey: ["session"] });
      }
    },
  }),
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchInterval: 60_000, // devices fall silent without telling
      retry: (failures, error) => failures < 2 && !(error instanceof Refusal && error.status >= 400),
    },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
