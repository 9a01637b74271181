import type { Change, ChangeEdit } from "@/api/types";

/** Where a change stands, in words. */
export const stateWords: Record<Change["state"], string> = {
  draft: "draft",
  waiting: "waiting for approval",
  approved: "approved",
  going_out: "on its way",
  done: "applied",
  dropped: "dropped",
  reverted: "reverted",
};

/** Whether a change has come to its end. */
export const isClosed = (state: Change["state"]) => state === "done" || state === "dropped" || state === "reverted";

/** What an edit does, in a few words. */
export const kindWords: Record<ChangeEdit["kind"], string> = {
  publish: "Publish policy",
  assign: "Assign",
  withdraw: "Delete assignment",
  group: "Group",
  drop_group: "Delete group",
};

/** What an edit is about beyond its name. */
export function editWords(edit: ChangeEdit): string {
  const { assignment, group } = edit;
  if (assignment) {
    const parts = [`policy ${assignment.policy}, rank ${assignment.rank}, to ${assignment.include.join(", ")}`];
    if (assignment.within?.length) parts.push(`within ${assignment.within.join(", ")}`);
    if (assignment.exclude?.length) parts.push(`not ${assignment.exclude.join(", ")}`);
    if (assignment.stance === "trial") parts.push("on trial");
    return parts.join(", ");
  }
  if (group?.rule) return `rule ${group.rule}`;
  if (group?.amend) {
    const parts = [];
    if (group.add?.length) parts.push(`${group.add.length} more`);
    if (group.remove?.length) parts.push(`${group.remove.length} less`);
    return parts.join(", ") || "its description";
  }
  if (group) return `${group.devices?.length ?? 0} devices`;
  if (edit.document) return edit.based_on === 0 ? "new policy" : "next revision";
  return "";
}

/** A title for a change, from its first edit; empty for none. */
export function titleFrom(edits: ChangeEdit[]): string {
  const [edit] = edits;
  if (!edit) return "";
  const words: Record<ChangeEdit["kind"], string> = {
    publish: edit.based_on === 0 ? `New policy ${edit.name}` : `Policy ${edit.name}`,
    assign: edit.based_on === 0 ? `Aim ${edit.name}` : `Assignment ${edit.name}`,
    withdraw: `Delete assignment ${edit.name}`,
    group: `Group ${edit.name}`,
    drop_group: `Delete group ${edit.name}`,
  };
  return words[edit.kind];
}
