import { Refusal } from "@/api/client";
import type { ChangeDetail } from "@/api/types";
import { isClosed } from "./words";

/**
 * The change that one's edits go into. A change that ended, was dropped or is missing counts as none; while its state is
 * not known nobody is told that there is none.
 */
export type Mine =
  | { at: "none" }
  | { at: "reading"; name: string }
  | { at: "draft" | "waiting" | "approved" | "out"; change: ChangeDetail };

/** What a name that is kept stands for, with what the service says of it. */
export function mineOf(name: string, data: ChangeDetail | undefined, error: Error | null): Mine {
  if (!name || (error instanceof Refusal && error.status === 404)) return { at: "none" };
  if (!data || data.name !== name) return { at: "reading", name };
  if (isClosed(data.state)) return { at: "none" };
  return { at: data.state === "going_out" ? "out" : (data.state as "draft"), change: data };
}

/** Whether edits can be added to a change and taken from it: while it is open, and its rollout stands still. */
export const takesEdits = (of: ChangeDetail) => !isClosed(of.state) && !["running", "done"].includes(of.rollout);

/** The next step of a change in a few words, for the chip that stands on every page. */
export function nextWords(of: ChangeDetail): string {
  const edits = `${of.edits.length} ${of.edits.length === 1 ? "edit" : "edits"}`;
  switch (of.state) {
    case "draft":
      return `draft, ${edits}`;
    case "waiting":
      return "waits for approval";
    case "approved":
      return "approved, start it";
    case "going_out":
      return of.rollout === "running" ? "going out" : "stands still";
    default:
      return "ended";
  }
}
