import { change } from "@/api/changes";
import type { ChangeDetail } from "@/api/types";
import { startChange } from "@/changes/choose-change";

/** Drafts a change that ended once more, over what is in force now; gives the name of the new one. */
export async function draftAgain(of: ChangeDetail): Promise<string> {
  const made = await startChange(of.title || of.name, of.reason);
  for (const { kind, name, now, document, assignment, group } of of.edits) {
    await change.addEdit(made.name, {
      kind,
      name,
      based_on: now,
      ...(document && { document }),
      ...(assignment && { assignment }),
      ...(group && { group }),
    });
  }
  return made.name;
}
