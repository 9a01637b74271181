import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeDetail, EditState } from "@/api/types";
import { editWords, isClosed, kindWords } from "@/changes/words";
import { TextButton } from "@/ui/button";
import { Trouble } from "@/ui/page";
import { Difference } from "./difference";

/** How many edits are compared with what is in force before somebody asks. */
const compared = 5;

/** The edits of a change in their order, with what is in their way. */
export function Edits({ of, mayEdit }: { of: ChangeDetail; mayEdit: boolean }) {
  if (of.edits.length === 0) {
    return (
      <p className="py-4 text-second">
        No edits yet. Edit a policy, an assignment or a group, or move a rung on the ladder, and it is added here.
      </p>
    );
  }
  return (
    <section className="mb-6 border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">Edits</h2>
      <ol>
        {of.edits.map((e, at) => (
          <One
            key={`${e.type} ${e.name}`}
            change={of.name}
            edit={e}
            short={at < compared && !isClosed(of.state)}
            mayEdit={mayEdit}
          />
        ))}
      </ol>
    </section>
  );
}

type OneProps = { change: string; edit: EditState; short: boolean; mayEdit: boolean };

function One({ change: name, edit, short, mayEdit }: OneProps) {
  const queries = useQueryClient();
  const [whole, setWhole] = useState(false);
  const done = () => {
    queries.invalidateQueries(read.change(name));
    queries.invalidateQueries(read.openChanges());
  };
  const removing = useMutation({ mutationFn: () => change.deleteEdit(name, edit.type, edit.name), onSuccess: done });
  const keeping = useMutation({
    mutationFn: () => {
      const { kind, document, assignment, group } = edit;
      return change.addEdit(name, {
        kind,
        name: edit.name,
        based_on: edit.now,
        ...(document && { document }),
        ...(assignment && { assignment }),
        ...(group && { group }),
      });
    },
    onSuccess: done,
  });
  const error = removing.error ?? keeping.error;
  return (
    <li className="border-b border-hairline py-2">
      <p className="break-words">
        <span className="font-semibold">{edit.name}</span>{" "}
        <span className="text-second">
          {kindWords[edit.kind].toLowerCase()} · {edit.edited_by}
        </span>
      </p>
      <p className="text-sm text-second">{editWords(edit)}</p>
      {edit.conflict && (
        <div role="alert" className="mt-1.5 flex items-center gap-4 border-l-4 border-red bg-red-wash px-3 py-1.5">
          <span className="grow">
            Somebody else altered {edit.type} {edit.name} since this edit was based on it. Compare, then keep this edit
            or remove it.
          </span>
          {mayEdit && <TextButton onClick={() => keeping.mutate()}>Keep this edit</TextButton>}
        </div>
      )}
      {error && <Trouble error={error} />}
      {(short || whole) && <Difference edit={edit} short={!whole} />}
      <p className="mt-1 flex gap-4 text-sm">
        <TextButton aria-expanded={whole} onClick={() => setWhole(!whole)}>
          {whole ? "Less" : "Whole difference"}
          <span className="sr-only"> of {edit.name}</span>
        </TextButton>
        {mayEdit && (
          <TextButton onClick={() => removing.mutate()}>
            Remove<span className="sr-only"> {edit.name}</span>
          </TextButton>
        )}
      </p>
    </li>
  );
}
