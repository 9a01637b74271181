import { QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { newCache } from "@/api/cache";

/** Draws something as the console does, at an address. */
export function draw(what: ReactNode, address = "/") {
  const cache = newCache();
  cache.setDefaultOptions({ queries: { ...cache.getDefaultOptions().queries, retry: false, refetchInterval: false } });
  const around = (inside: ReactNode) => (
    <QueryClientProvider client={cache}>
      <MemoryRouter initialEntries={[address]}>{inside}</MemoryRouter>
    </QueryClientProvider>
  );
  const { container, rerender } = render(around(what));
  return { cache, container, again: (next: ReactNode) => rerender(around(next)) };
}
