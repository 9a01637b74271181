import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Refusal } from "./api";
import { App } from "./app";
import { Broken } from "./components/broken";
import { startTheme } from "./theme";
import "./theme.css";

const queries: QueryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      // Devices fall silent without telling; what failed is tried sooner.
      refetchInterval: (query) => (query.state.status === "error" ? 10_000 : 60_000),
      retry: (failures, error) => failures < 2 && !(error instanceof Refusal && error.status >= 400),
    },
  },
});

startTheme();

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Broken>
            <App />
          </Broken>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
