import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { concerns, Refresher } from "./live";
import { read } from "./queries";

describe("what news make old", () => {
  const one = { hears: ["reports" as const, "edits" as const], device: () => "D1" };

  it("is a reading of the device that is named, and no other", () => {
    expect(concerns({ topics: ["reports"], devices: ["D2"] }, one, {})).toBe(false);
    expect(concerns({ topics: ["reports"], devices: ["D2", "D1"] }, one, {})).toBe(true);
  });
  it("is every reading where none is named, or before it is known which device it is about", () => {
    expect(concerns({ topics: ["reports"], devices: [] }, one, {})).toBe(true);
    expect(concerns({ topics: ["reports"], devices: ["D2"] }, one, undefined)).toBe(true);
  });
  it("is every reading that an edit may reach", () => {
    expect(concerns({ topics: ["edits", "reports"], devices: ["D2"] }, one, {})).toBe(true);
  });
  it("is nothing that does not hear of the topic", () => {
    expect(concerns({ topics: ["keys"] }, one, {})).toBe(false);
    expect(concerns({ topics: ["reports"] }, undefined, {})).toBe(false);
  });
  it("is told by the queries themselves", () => {
    const { meta } = read.device("SKL-HQ-001");
    const data = { device: { id: "D7" } };
    expect(concerns({ topics: ["devices"], devices: ["D7"] }, meta, data)).toBe(true);
    expect(concerns({ topics: ["devices"], devices: ["D8"] }, meta, data)).toBe(false);
  });
});

describe("reading again", () => {
  beforeEach(() => vi.useFakeTimers());
  afterEach(() => vi.useRealTimers());

  function reading(answer: () => Promise<number>) {
    const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
    const observer = new QueryObserver(queries, {
      queryKey: ["thing"],
      queryFn: answer,
      staleTime: Number.POSITIVE_INFINITY,
      meta: { hears: ["reports"] },
    });
    observer.subscribe(() => {});
    return { queries, refresher: new Refresher(queries) };
  }

  it("happens once a second at most, however much is told", async () => {
    let times = 0;
    const { refresher } = reading(async () => ++times);
    await vi.advanceTimersByTimeAsync(10);
    expect(times).toBe(1);
    for (let i = 0; i < 50; i++) {
      refresher.hear({ topics: ["reports"] });
      await vi.advanceTimersByTimeAsync(100);
    }
    expect(times).toBeGreaterThan(3);
    expect(times).toBeLessThanOrEqual(6);
  });

  it("waits for a reading that is under way, and then reads once more", async () => {
    let times = 0;
    let answer: (n: number) => void = () => {};
    const { refresher } = reading(
      () =>
        new Promise((done) => {
          times++;
          answer = done;
        }),
    );
    await vi.advanceTimersByTimeAsync(10);
    refresher.hear({ topics: ["reports"] });
    await vi.advanceTimersByTimeAsync(3000);
    expect(times).toBe(1);
    answer(1);
    await vi.advanceTimersByTimeAsync(1500);
    expect(times).toBe(2);
  });

  it("leaves what failed to its own time", async () => {
    let times = 0;
    const { refresher } = reading(async () => {
      times++;
      throw new Error("no");
    });
    await vi.advanceTimersByTimeAsync(10);
    refresher.hear({ topics: ["reports"] });
    await vi.advanceTimersByTimeAsync(5000);
    expect(times).toBe(1);
    refresher.hear({ topics: ["reports"], anew: true });
    await vi.advanceTimersByTimeAsync(5000);
    expect(times).toBe(2);
  });
});
