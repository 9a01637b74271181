import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { newCache } from "@/api/cache";
import { App } from "@/app/app";
import { Broken } from "@/app/broken";
import { startTheme } from "@/app/theme";
import "@/app/theme.css";

const queries = newCache();

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
