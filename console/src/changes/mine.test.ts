import { expect, it } from "vitest";
import { Refusal } from "@/api/client";
import type { ChangeDetail } from "@/api/types";
import { mineOf, nextWords, takesEdits } from "./mine";

const change = (state: ChangeDetail["state"], rollout = "") =>
  ({ name: "night-desks", state, rollout, edits: [{}, {}] }) as unknown as ChangeDetail;
const missing = new Refusal({ type: "about:blank", title: "Not found", status: 404, detail: "no such change" });
const unreachable = new Refusal({ type: "about:blank", title: "Unreachable", status: 0, detail: "no answer" });

it.each([
  ["nothing is kept", "", undefined, null, "none"],
  ["it is being read", "night-desks", undefined, null, "reading"],
  ["the service does not answer", "night-desks", undefined, unreachable, "reading"],
  ["another one is still shown", "other", change("draft"), null, "reading"],
  ["it is missing", "night-desks", undefined, missing, "none"],
  ["it went missing", "night-desks", change("draft"), missing, "none"],
  ["it is drafted", "night-desks", change("draft"), null, "draft"],
  ["it waits", "night-desks", change("waiting"), null, "waiting"],
  ["it is approved", "night-desks", change("approved"), null, "approved"],
  ["it goes out", "night-desks", change("going_out", "running"), null, "out"],
  ["it went out", "night-desks", change("done"), null, "none"],
  ["it was dropped", "night-desks", change("dropped"), null, "none"],
  ["it was taken back", "night-desks", change("reverted"), null, "none"],
])("%s", (_, name, data, error, at) => {
  expect(mineOf(name, data, error).at).toBe(at);
});

it.each([
  [change("draft"), true, "draft, 2 edits"],
  [change("waiting"), true, "waits for approval"],
  [change("approved"), true, "approved, start it"],
  [change("going_out", "running"), false, "going out"],
  [change("going_out", "paused"), true, "stands still"],
  [change("done"), false, "ended"],
])("takes edits while nothing moves, and says the next step", (of, takes, words) => {
  expect(takesEdits(of)).toBe(takes);
  expect(nextWords(of)).toBe(words);
});
