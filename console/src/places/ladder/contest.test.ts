import { expect, it } from "vitest";
import type { Rung } from "@/api/types";
import { contestRows } from "./contest";

const rung = (assignment: string, closed: boolean, members: [string, boolean][]) =>
  ({
    assignment,
    cells: [
      {
        unit: "admins",
        words: assignment,
        closed,
        members: members.map(([ref, isIn]) => ({ ref, words: ref, in: isIn })),
      },
    ],
  }) as unknown as Rung;

it("compares members, what differs first, with what the device has", () => {
  const rows = contestRows(
    [
      rung("head-office", true, [
        ["account:mooring", true],
        ["group:Duty@x", true],
      ]),
      rung("northwick", true, [
        ["account:mooring", true],
        ["group:Support@x", true],
      ]),
    ],
    "admins",
    ["account:mooring", "group:duty@x", "local:mechanic"],
  );
  expect(rows.map((r) => [r.key, r.says.join(" "), r.now])).toEqual([
    ["group:duty@x", "in out", "in"],
    ["group:support@x", "out in", "out"],
    ["account:mooring", "in in", "in"],
    ["local:mechanic", "out out", "in"],
  ]);
});

it("keeps apart who must not be a member, and of whom nothing is said", () => {
  const [row] = contestRows(
    [rung("a", false, [["local:tiller", false]]), rung("b", false, [["local:lamp", true]])],
    "admins",
    undefined,
  );
  expect(row?.says).toEqual(["out", "silent"]);
  expect(row?.now).toBeUndefined();
});

it("is one row of values for another setting", () => {
  const rows = contestRows([rung("buoy", false, []), rung("lamp", false, [])], "admins", undefined);
  expect(rows).toHaveLength(1);
  expect(rows[0]?.texts).toEqual(["buoy", "lamp"]);
});
