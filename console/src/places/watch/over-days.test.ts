import { expect, it } from "vitest";
import { byDay } from "./over-days";

it("shows the last hour of each day, newest first", () => {
  const hour = (at: string, held: number) => ({ hour: at, in_step: 1, drifted: 0, waiting: 0, held, silent: 0 });
  const days = byDay([hour("2026-05-04T09:00:00", 1), hour("2026-05-04T22:00:00", 2), hour("2026-05-05T01:00:00", 3)]);
  expect(days.map((d) => d.held)).toEqual([3, 2]);
});
