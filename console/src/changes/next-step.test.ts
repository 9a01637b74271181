import { expect, it } from "vitest";
import type { Right } from "@/api/rights";
import type { ChangeDetail, Preview } from "@/api/types";
import { nextStep } from "./next-step";

const edit = { conflict: false };
const change = (of: Partial<ChangeDetail>) =>
  ({
    name: "n",
    state: "draft",
    edits: [edit],
    asked_by: "",
    problem: "",
    rollout: "",
    own: false,
    waves: false,
    ...of,
  }) as ChangeDetail;
const preview = (of: Partial<Preview> = {}) =>
  ({ devices: 12, fleet: 240, needs: [], part: false, ...of }) as unknown as Preview;
const everything: Right[] = ["look", "draft", "deploy"];

const waiting = { state: "waiting" as const, asked_by: "asta" };
it.each<[string, Partial<ChangeDetail>, Preview | undefined, Right[], string | undefined, string, RegExp]>([
  ["no edit", { edits: [] }, undefined, everything, undefined, "edits", /Edit a policy/],
  [
    "a conflict",
    { edits: [{ conflict: true }] as never },
    preview(),
    everything,
    undefined,
    "edits",
    /Somebody else altered/,
  ],
  ["a problem", { problem: "no such group" }, preview(), everything, undefined, "edits", /cannot go out/],
  ["no preview yet", {}, undefined, everything, undefined, "preview", /being worked out/],
  ["nobody who may deploy", {}, preview(), ["draft"], undefined, "preview", /may deploy takes it out/],
  ["more devices than reach", {}, preview({ part: true }), everything, undefined, "preview", /beyond your role/],
  [
    "nothing in the way",
    {},
    preview(),
    everything,
    "start",
    "out",
    /Nothing has reached a device yet. It would alter 12 devices of 240/,
  ],
  [
    "a second person is needed",
    {},
    preview({ needs: ["it is wide"] }),
    everything,
    "ask",
    "approval",
    /Asking reaches no device/,
  ],
  ["whoever asked", { ...waiting, own: true }, preview(), everything, undefined, "approval", /somebody else decides/],
  ["somebody who may not deploy", waiting, preview(), ["draft"], undefined, "approval", /Somebody who may deploy/],
  [
    "an approver out of reach",
    waiting,
    preview({ part: true }),
    everything,
    undefined,
    "approval",
    /reaches all of them/,
  ],
  [
    "an approver",
    waiting,
    preview(),
    everything,
    "approve",
    "approval",
    /Nothing reaches a device by that: asta or another deployer starts it/,
  ],
  [
    "approved",
    { state: "approved" },
    preview({ needs: ["it is wide"] }),
    everything,
    "start",
    "out",
    /It is approved. Nothing has/,
  ],
  [
    "going out",
    { state: "going_out", rollout: "running", waves: true },
    undefined,
    everything,
    "watch",
    "out",
    /pause/,
  ],
  [
    "paused",
    { state: "going_out", rollout: "paused", waves: true },
    undefined,
    everything,
    "watch",
    "out",
    /stands still/,
  ],
  ["in force", { state: "done" }, undefined, everything, undefined, "verified", /in force/],
  ["dropped", { state: "dropped" }, undefined, everything, undefined, "edits", /none of its edits/],
  ["taken back", { state: "reverted", waves: true }, undefined, everything, undefined, "out", /taken back/],
])("with %s", (_, of, seen, rights, primary, step, says) => {
  const next = nextStep(change(of), (right) => rights.includes(right), seen);
  expect(next.primary).toBe(primary);
  expect(next.step).toBe(step);
  expect(next.says).toMatch(says);
});

it("offers a way back from every end, to whoever may draft", () => {
  const may = (right: Right) => right === "draft";
  expect(nextStep(change({ state: "done", waves: true }), may, undefined).others).toEqual(["watch", "revert"]);
  expect(nextStep(change({ state: "reverted", waves: true }), may, undefined).others).toEqual(["watch", "again"]);
  expect(nextStep(change({ state: "dropped" }), may, undefined).others).toEqual(["again"]);
  expect(nextStep(change({ state: "dropped" }), () => false, undefined).others).toEqual([]);
});
