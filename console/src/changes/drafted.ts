import type { ChangeEdit, EditState } from "@/api/types";
import { useMine } from "./use-mine";

/** The edits of one's change, none when there is none; loading until they are known. */
export function useDraftChange(): { edits: EditState[]; loading: boolean } {
  const { mine } = useMine();
  return { edits: "change" in mine ? mine.change.edits : [], loading: mine.at === "reading" };
}

/** The edits of one's change, none when there is none. */
export const useDrafted = () => useDraftChange().edits;

/** Whether two edits are of the same thing. */
export const sameThing = (a: ChangeEdit, b: ChangeEdit) => a.name === b.name && typeOf(a.kind) === typeOf(b.kind);

const typeOf = (kind: ChangeEdit["kind"]): EditState["type"] =>
  kind === "publish" ? "policy" : kind === "assign" || kind === "withdraw" ? "assignment" : "group";

/** The edits of a draft with more of them, of which each takes the place of the one of the same thing. */
export function withEdits(drafted: EditState[], more: ChangeEdit[]): ChangeEdit[] {
  const edits: ChangeEdit[] = drafted.map(({ edited_by, now, conflict, type, version, ...edit }) => edit);
  for (const edit of more) {
    const at = edits.findIndex((e) => sameThing(e, edit));
    if (at >= 0) edits[at] = edit;
    else edits.push(edit);
  }
  return edits;
}
