import { expect, it } from "vitest";
import type { Assignment, EditState, Rung } from "@/api/types";
import { editsOf, rankAt, rankOneStep, withMove } from "./moves";

const rung = (assignment: string, rank: number): Rung => ({
  assignment,
  rank,
  policy: assignment,
  stance: "enforce",
  undecided: false,
  cells: [],
});
const rungs = [rung("trial", 90), rung("stromvoe", 200), rung("workshop", 200), rung("base", 500)];

it("puts a rung between its new neighbours", () => {
  expect(rankAt(rungs, "base", "stromvoe")).toBe(145);
  expect(rankAt(rungs, "trial", undefined)).toBe(510);
  expect(rankAt(rungs, "base", "trial")).toBe(80);
  expect(rankAt(rungs, "trial", "workshop"), "between two of equal rank there is no number").toBe(199);
  expect(rankAt([rung("a", 1), rung("b", 2)], "b", "a"), "nothing is stronger than 1").toBe(1);
});

it("moves a rung past the next one by keys, and out of a tie first", () => {
  expect(rankOneStep(rungs, "stromvoe", true)).toBe(145);
  expect(rankOneStep(rungs, "stromvoe", false)).toBe(350);
  expect(rankOneStep(rungs, "base", true)).toBe(145);
  expect(rankOneStep(rungs, "trial", true), "it is the strongest already").toBe(90);
  expect(rankOneStep(rungs, "base", false), "it is the weakest already").toBe(500);
  expect(rankOneStep(rungs, "trial", false)).toBe(350);
});

it("keeps the last move of a rung, and none back to where it was", () => {
  const first = withMove([], { assignment: "base", rank: 145 }, 500);
  expect(withMove(first, { assignment: "base", rank: 80 }, 500)).toEqual([{ assignment: "base", rank: 80 }]);
  expect(withMove(first, { assignment: "base", rank: 500 }, 500)).toEqual([]);
});

it("makes edits of moves, over what the draft has already", () => {
  const base: Assignment = {
    name: "base",
    policy: "base",
    revision: 3,
    include: ["everything"],
    exclude: [],
    within: [],
    rank: 500,
    stance: "enforce",
    version: 7,
  };
  const [edit] = editsOf([{ assignment: "base", rank: 80 }], [base], []);
  expect(edit).toMatchObject({ kind: "assign", based_on: 7, assignment: { rank: 80, include: ["everything"] } });
  const drafted = {
    kind: "assign",
    name: "base",
    type: "assignment",
    based_on: 6,
    assignment: { policy: "base", include: ["desks"], rank: 500 },
  } as EditState;
  const [over] = editsOf([{ assignment: "base", rank: 80 }], [base], [drafted]);
  expect(over).toMatchObject({ based_on: 6, assignment: { rank: 80, include: ["desks"] } });
  expect(editsOf([{ assignment: "gone", rank: 1 }], [base], [])).toEqual([]);
});
