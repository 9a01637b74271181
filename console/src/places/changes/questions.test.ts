import { expect, it } from "vitest";
import type { ChangeDetail, Preview } from "@/api/types";
import { type Asked, questionOf } from "./questions";

const of = {
  name: "night-desks",
  title: "Night desks",
  reason: "",
  asked_by: "asta",
  edits: [],
} as unknown as ChangeDetail;
const preview = (ways: number) =>
  ({ devices: 66, ways: Array.from({ length: ways }, () => ({})) }) as unknown as Preview;

it("says of one step only that devices are told now", () => {
  for (const step of ["ask", "approve", "refuse", "revert", "again"] satisfies Asked[]) {
    const { happens, done } = questionOf(step, of, preview(0));
    expect(happens, step).not.toMatch(/told now|takes effect/);
    if (step !== "again") expect(happens + done, step).toMatch(/Nothing (reaches|has reached) a device/);
  }
  const apply = questionOf("apply", of, preview(0));
  expect(apply.happens).toMatch(/takes effect on 66 devices, and online ones are told now/);
  expect(apply.done).toMatch(/is in force/);
});

it("asks why where it gives, takes or moves a way in, and the change has no reason", () => {
  expect(questionOf("apply", of, preview(1)).must).toBe(true);
  expect(questionOf("ask", of, preview(1)).must).toBe(true);
  expect(questionOf("apply", of, preview(0)).must).toBeUndefined();
  expect(questionOf("apply", { ...of, reason: "ticket 4711" }, preview(1)).must).toBeUndefined();
  expect(
    questionOf("approve", of, preview(1)).must,
    "whoever approves agrees to the reason of the change",
  ).toBeUndefined();
});
