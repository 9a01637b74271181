import { expect, test } from "vitest";
import type { Warrant } from "@/api/types";
import { barOf, hours, isUnderWay } from "./warrant-bars";

const now = Date.parse("2031-03-04T10:00:00Z");
const at = (h: number) => new Date(now + h * 3_600_000).toISOString();
const warrant = (from: number | null, until: number | null, state: Warrant["state"] = "agreed") =>
  ({ state, from: from === null ? null : at(from), until: until === null ? null : at(until) }) as Warrant;

test("what runs and what begins within the day is under way", () => {
  expect(isUnderWay(warrant(-1, 1), now)).toBe(true);
  expect(isUnderWay(warrant(5, 6), now)).toBe(true);
  expect(isUnderWay(warrant(24, 25), now)).toBe(false);
  expect(isUnderWay(warrant(-2, 0), now)).toBe(false);
  expect(isUnderWay(warrant(-1, 1, "waiting"), now)).toBe(false);
  expect(isUnderWay(warrant(null, null, "waiting"), now)).toBe(false);
});

test("a bar lies where its time is, and says when it goes on", () => {
  expect(barOf(warrant(-1, 11), now)).toEqual({ left: 0, width: 50, goesOn: false });
  expect(barOf(warrant(5, 11), now)).toEqual({ left: 25, width: 25, goesOn: false });
  expect(barOf(warrant(-48, 48), now)).toEqual({ left: 0, width: 100, goesOn: true });
  expect(barOf(warrant(0, 0.01), now).width).toBe(1);
});

test("the hours of the clock stand below", () => {
  const list = hours(now);
  expect(list.length).toBeGreaterThanOrEqual(3);
  expect(list.every((h) => /^(00|06|12|18):00$/.test(h.words) && h.at >= 3 && h.at <= 97)).toBe(true);
});
