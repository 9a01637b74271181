import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { ChangeEdit, EditState } from "@/api/types";
import { useCurrentChange } from "./current";

/** The edits of the current change, none when there is none. */
export function useDrafted(): EditState[] {
  const [current] = useCurrentChange();
  const found = useQuery(read.change(current));
  return found.data?.state === "draft" ? found.data.edits : [];
}

const typeOf = (kind: ChangeEdit["kind"]): EditState["type"] =>
  kind === "publish" ? "policy" : kind === "assign" || kind === "withdraw" ? "assignment" : "group";

/** The edits of a draft with more of them, of which each takes the place of the one of the same thing. */
export function withEdits(drafted: EditState[], more: ChangeEdit[]): ChangeEdit[] {
  const edits: ChangeEdit[] = drafted.map(({ edited_by, now, conflict, type, ...edit }) => edit);
  for (const edit of more) {
    const at = edits.findIndex((e) => e.name === edit.name && typeOf(e.kind) === typeOf(edit.kind));
    if (at >= 0) edits[at] = edit;
    else edits.push(edit);
  }
  return edits;
}
