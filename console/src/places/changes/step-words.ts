import type { ChangeDetail, Preview } from "@/api/types";
import type { Step } from "@/changes/next-step";
import { isClosed } from "@/changes/words";
import { devices } from "@/domain/count";
import { ago } from "@/domain/time";

/** What the step bar says beneath each step. */
export function stepWords(
  of: ChangeDetail,
  preview: Preview | undefined,
  verified: string,
  now: number,
): Record<Step, string> {
  const edits = `${of.edits.length} ${of.edits.length === 1 ? "edit" : "edits"}, the last ${ago(of.updated_at, now)}`;
  return {
    edits: of.edits.length === 0 ? "none yet" : isClosed(of.state) ? `${of.edits.length} in all` : edits,
    preview: preview ? `${preview.devices} of ${devices(preview.fleet)}` : "",
    approval: approvalWords(of, preview),
    out: outWords(of, now),
    verified,
  };
}

function approvalWords(of: ChangeDetail, preview: Preview | undefined): string {
  if (of.state === "waiting") return `asked for by ${of.asked_by}`;
  if (of.state === "approved") return "given";
  if (of.state !== "draft" || !preview) return "";
  return preview.needs.length > 0 ? "needs a second person" : "needs nobody";
}

function outWords(of: ChangeDetail, now: number): string {
  const when = of.closed_at ? ago(of.closed_at, now) : "";
  switch (of.state) {
    case "done":
      return `${of.waves ? "in waves" : "to all devices at once"}, ${when}`;
    case "reverted":
      return `taken back ${when}`;
    case "dropped":
      return `dropped ${when}`;
    case "going_out":
      return of.rollout === "running" ? "in waves, under way" : "in waves, stands still";
    default:
      return "";
  }
}
