import { QueryClientProvider } from "@tanstack/react-query";
import { act, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { newCache } from "./cache";
import { Refusal } from "./client";
import { usePages } from "./pages";

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

let answers = false;

function Names() {
  const list = usePages<string>({
    key: ["names"],
    meta: {},
    page: async () => {
      if (!answers) throw new Refusal({ type: "about:blank", title: "No", status: 502, detail: "nothing behind it" });
      return { items: ["counter"], next: "" };
    },
  });
  return <p>{list.error ? list.error.message : list.items.join()}</p>;
}

it("tries a list again by itself after it failed", async () => {
  render(
    <QueryClientProvider client={newCache()}>
      <Names />
    </QueryClientProvider>,
  );
  await act(() => vi.advanceTimersByTimeAsync(100));
  expect(screen.getByText("nothing behind it")).toBeDefined();
  answers = true;
  await act(() => vi.advanceTimersByTimeAsync(10_100));
  expect(screen.getByText("counter")).toBeDefined();
});
