import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { EditState, Policy } from "@/api/types";
import { useDraftChange } from "@/changes/drafted";
import { useAddEdit } from "@/changes/use-add-edit";
import { lineDifference } from "@/domain/difference";
import { Lines } from "@/domain/lines";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/filters";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { PolicyForm } from "./form/policy-form";
import { Checks, InWords, Revisions, TakesOver } from "./policy-asides";
import { StartFrom } from "./start-from";
import { starts } from "./starts";
import { useChecks, useDraft } from "./use-draft";
import { Uses } from "./uses";
import { useDocumentEdit, WhatItDoes } from "./what-it-does";
import { YamlEditor } from "./yaml-editor";

type View = "form" | "both" | "yaml";

const viewKept = "rankwarden-editor";

/** One policy: its document with the service's checks inline, where it is used, its revisions. */
export function PolicyPage({ fresh }: { fresh?: boolean }) {
  const mayEdit = useRights()("draft");
  const { name = "" } = useParams();
  const { edits, loading } = useDraftChange();
  const onlyDrafted = edits.some((e) => e.type === "policy" && e.name === name && e.now === 0); // the service has none yet
  const policy = useQuery({ ...read.policy(name), enabled: !fresh && !loading && !onlyDrafted });
  if (fresh) return <Editor key="new" name="" policy={undefined} mayEdit={mayEdit} />;
  if (loading || (policy.isPending && !onlyDrafted)) return <Loading />;
  if (!policy.data && !onlyDrafted) return <Trouble error={policy.error as Error} />;
  return <Editor key={name} name={name} policy={policy.data} mayEdit={mayEdit} />;
}

function Editor({ name, policy, mayEdit }: { name: string; policy: Policy | undefined; mayEdit: boolean }) {
  const now = useNow();
  const { edits, loading } = useDraftChange();
  const drafted = edits.find((e) => e.type === "policy" && e.name === name);
  const draft = useDraft(name, drafted?.document ?? policy?.source ?? starts[0]?.source ?? "");
  const { problems, asks, exists, checking } = useChecks(draft.source);
  const [view, setView] = useState<View>(() => (localStorage.getItem(viewKept) as View | null) ?? "both");
  const show = (next: View) => {
    localStorage.setItem(viewKept, next);
    setView(next);
  };
  const [goTo, setGoTo] = useState<{ line: number } | null>(null);
  const [trouble, setTrouble] = useState<Error | null>(null);
  const errors = problems.filter((p) => p.severity === "error").length;
  const navigate = useNavigate();
  const adding = useAddEdit(([edit]) => {
    draft.forget();
    if (!name && edit) navigate(`/policies/${edit.name}`, { replace: true }); // where it can be edited on
  });
  const added = drafted !== undefined && !draft.dirty; // what is here stands in the change already
  const unaltered = !drafted && policy?.revision !== 0 && draft.source === policy?.source; // nothing to add
  const edit = useDocumentEdit(draft.source, policy, drafted, !added && !unaltered && errors === 0 && !checking);
  if (loading) return <Loading />;
  return (
    <>
      <PageHead
        tab={name || "Write a policy"}
        title={policy?.title || name || "Write a policy"}
        note={name ? standing(policy, drafted, now) : "Not in any change yet."}
      >
        {draft.dirty && <Button onClick={draft.forget}>Discard what I typed</Button>}
        {mayEdit && (
          <Button
            primary
            onClick={() => edit && adding.add([edit])}
            disabled={!edit || draft.moved || adding.busy}
            title={whyNot(draft.moved, added, unaltered, errors)}
          >
            Add to the change
          </Button>
        )}
      </PageHead>
      {trouble && <Trouble error={trouble} />}
      {adding.error && <Trouble error={adding.error} />}
      {adding.dialog}
      {draft.other && (
        <p role="status" className="my-3 flex items-center gap-4 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          <span className="grow">
            In another tab, or one that was closed, something was typed here{" "}
            {ago(new Date(draft.other.at).toISOString(), now)}.
          </span>
          <Button onClick={draft.takeOver}>Go on with that</Button>
        </p>
      )}
      {draft.moved && (
        <div role="alert" className="my-3 border-l-4 border-brass bg-sheet px-4 py-2">
          <p>
            {drafted?.edited_by ?? policy?.updated_by} edited this policy while you were typing. − is what stands now, +
            is yours.
          </p>
          <Lines
            label="Difference from what stands now"
            lines={lineDifference(drafted?.document ?? policy?.source ?? "", draft.source)}
          />
          <div className="mt-2 flex gap-2">
            <Button onClick={draft.rebase}>Keep mine, to go over theirs</Button>
            <Button onClick={draft.forget}>Use theirs</Button>
          </div>
        </div>
      )}
      <div className="mb-3 flex items-center gap-5">
        <Choices
          label="View"
          value={view}
          choices={[
            { value: "form", label: "Form" },
            { value: "both", label: "Side by side" },
            { value: "yaml", label: "YAML" },
          ]}
          onChange={show}
        />
        {!policy && mayEdit && <StartFrom source={draft.source} replace={draft.edit} />}
      </div>
      <div className={`grid gap-7 ${layouts[view]}`}>
        {view !== "yaml" && (
          <div className="min-w-0">
            <PolicyForm
              source={draft.source}
              problems={problems}
              asks={asks}
              readOnly={!mayEdit}
              isNew={!policy}
              onChange={draft.edit}
            />
          </div>
        )}
        {view !== "form" && (
          <YamlEditor value={draft.source} problems={problems} readOnly={!mayEdit} onChange={draft.edit} goTo={goTo} />
        )}
        <div>
          <Checks problems={problems} checking={checking} show={(line) => setGoTo({ line })} />
          {edit && draft.dirty && <WhatItDoes edit={edit} />}
          <TakesOver exists={exists} />
          <InWords asks={asks} />
          {name && <Uses name={name} policy={policy} mayEdit={mayEdit} />}
          {policy && (
            <Revisions
              name={name}
              source={draft.source}
              show={draft.edit}
              dirty={draft.dirty}
              mayEdit={mayEdit}
              fail={setTrouble}
            />
          )}
        </div>
      </div>
    </>
  );
}

/** Why it cannot be added to the change; nothing where it can, or where that is not known yet. */
function whyNot(moved: boolean, added: boolean, unaltered: boolean, errors: number): string | undefined {
  if (moved) return "First decide about what somebody else wrote";
  if (added) return "It stands in your change as it is here";
  if (unaltered) return "Nothing here differs from what is in force";
  return errors > 0 ? "First put right what the checks found" : undefined;
}

/** What stands here: what is in force, or what the draft change makes of it. */
function standing(policy: Policy | undefined, drafted: EditState | undefined, now: number): string {
  const revision = policy?.revision ? `revision ${policy.revision} in force` : "not in force yet";
  if (drafted) return `${revision} · below is what ${drafted.edited_by} wrote into the draft change`;
  return policy ? `${revision} · edited ${ago(policy.updated_at, now)} by ${policy.updated_by}` : revision;
}

const layouts: Record<View, string> = {
  form: "grid-cols-[minmax(0,1fr)_320px] max-[900px]:grid-cols-1",
  both: "grid-cols-[minmax(0,1fr)_minmax(0,1fr)_300px] max-[900px]:grid-cols-1",
  yaml: "grid-cols-[minmax(0,1fr)_320px] max-[900px]:grid-cols-1",
};
