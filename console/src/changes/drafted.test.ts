import { expect, it } from "vitest";
import type { EditState } from "@/api/types";
import { withEdits } from "./drafted";

const drafted = (kind: EditState["kind"], name: string, type: EditState["type"]): EditState => ({
  kind,
  name,
  type,
  based_on: 1,
  version: 1,
  edited_by: "dagny",
  now: 1,
  conflict: false,
});

it("puts an edit in the place of the one of the same thing, and others behind", () => {
  const draft = [drafted("assign", "desks", "assignment"), drafted("publish", "desks", "policy")];
  const edits = withEdits(draft, [
    { kind: "withdraw", name: "desks", based_on: 2 },
    { kind: "group", name: "desks", based_on: 0 },
  ]);
  expect(edits.map((e) => `${e.kind} ${e.based_on}`)).toEqual(["withdraw 2", "publish 1", "group 0"]);
  expect(edits[1]).toEqual({ kind: "publish", name: "desks", based_on: 1 });
});
