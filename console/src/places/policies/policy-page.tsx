import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { change, fetchOnce } from "@/api/changes";
import { read } from "@/api/queries";
import type { Policy } from "@/api/types";
import { useAddEdit } from "@/changes/use-add-edit";
import { lineDifference } from "@/domain/difference";
import { Lines } from "@/domain/lines";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/filters";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { PolicyForm } from "./form/policy-form";
import { Checks, InWords, Revisions, Uses } from "./policy-asides";
import { Publish } from "./publish";
import { starts } from "./starts";
import { useChecks, useDraft } from "./use-draft";
import { useDocumentEdit, WhatItDoes } from "./what-it-does";
import { YamlEditor } from "./yaml-editor";

type View = "form" | "both" | "yaml";

const viewKept = "rankwarden-editor";

/** One policy: its document with the service's checks inline, where it is used, its revisions. */
export function PolicyPage({ mayEdit, fresh }: { mayEdit: boolean; fresh?: boolean }) {
  const { name = "" } = useParams();
  const policy = useQuery({ ...read.policy(name), enabled: !fresh });
  if (fresh) return <Editor key="new" name="" policy={undefined} mayEdit={mayEdit} />;
  if (policy.isPending) return <Loading />;
  if (!policy.data) return <Trouble error={policy.error as Error} />;
  return <Editor key={name} name={name} policy={policy.data} mayEdit={mayEdit} />;
}

function Editor({ name, policy, mayEdit }: { name: string; policy: Policy | undefined; mayEdit: boolean }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const now = useNow();
  const draft = useDraft(name, policy ?? { source: starts[0]?.source ?? "", version: 0 });
  const { problems, asks, checking } = useChecks(draft.source);
  const [view, setView] = useState<View>(() => (localStorage.getItem(viewKept) as View | null) ?? "both");
  const show = (next: View) => {
    localStorage.setItem(viewKept, next);
    setView(next);
  };
  const [goTo, setGoTo] = useState<{ line: number } | null>(null);
  const [trouble, setTrouble] = useState<Error | null>(null);
  const [said, setSaid] = useState("");
  const [busy, setBusy] = useState(false);
  const [seen, setSeen] = useState(policy?.version ?? 0); // the version that whoever sits here has seen
  const theirs = policy !== undefined && policy.version !== seen && !draft.moved;
  const errors = problems.filter((p) => p.severity === "error").length;
  const adding = useAddEdit(() => draft.forget());
  const edit = useDocumentEdit(draft.source, policy, errors === 0 && !checking);

  const attempt = async (work: () => Promise<void>) => {
    setBusy(true);
    setTrouble(null);
    setSaid("");
    try {
      await work();
    } catch (error) {
      setTrouble(error instanceof Error ? error : new Error("It failed; try again."));
    } finally {
      setBusy(false);
    }
  };
  const save = () =>
    attempt(async () => {
      const saved = policy
        ? await change.savePolicy(name, draft.source, draft.over)
        : await change.newPolicy(draft.source);
      queries.setQueryData(read.policy(saved.name).queryKey, saved);
      draft.forget();
      setSeen(saved.version);
      setSaid("The draft is saved. Devices are not touched before it is published.");
      if (!policy) navigate(`/policies/${saved.name}`, { replace: true });
    });
  const publish = () =>
    attempt(async () => {
      const done = await change.publishPolicy(name, seen);
      const now = await fetchOnce.policy(name);
      if (now.source === policy?.source) setSeen(now.version);
      queries.setQueryData(read.policy(name).queryKey, now);
      queries.invalidateQueries(read.policyRevisions(name));
      setSaid(
        done.moved.length
          ? `Revision ${done.revision} is in force for all devices of ${done.moved.join(", ")}. Watch shows them report back.`
          : `Revision ${done.revision} is published. No assignment uses it yet.`,
      );
    });

  const status = policy
    ? `${policy.revision ? `revision ${policy.revision} published` : "not published yet"} · draft saved ${ago(policy.updated_at, now)} by ${policy.updated_by}`
    : "Not saved yet.";
  return (
    <>
      <PageHead
        tab={policy ? policy.name : "Write a policy"}
        title={policy ? policy.title || policy.name : "Write a policy"}
        note={status}
      >
        {draft.dirty && <Button onClick={draft.forget}>Discard unsaved changes</Button>}
        {mayEdit && (
          <Button onClick={() => edit && adding.add([edit])} disabled={!edit || adding.busy}>
            Add to the change
          </Button>
        )}
        {mayEdit && (
          <Button onClick={save} disabled={busy || errors > 0 || checking || (policy !== undefined && !draft.dirty)}>
            Save draft
          </Button>
        )}
        {mayEdit && policy && (
          <Publish
            policy={policy}
            first={draft.dirty ? "Save the draft first" : theirs ? "First read what was saved in the meantime" : ""}
            busy={busy}
            onPublish={publish}
          />
        )}
      </PageHead>
      {trouble && <Trouble error={trouble} />}
      {adding.error && <Trouble error={adding.error} />}
      {adding.dialog}
      {draft.moved && policy && (
        <div role="alert" className="my-3 border-l-4 border-brass bg-sheet px-4 py-2">
          <p>
            Somebody else saved this policy while you were editing. This is what is different: − is what{" "}
            {policy.updated_by} saved, + is yours.
          </p>
          <Lines label="Difference from what was saved" lines={lineDifference(policy.source, draft.source)} />
          <div className="mt-2 flex gap-2">
            <Button onClick={() => draft.rebase(policy.version)}>Keep mine, and save it over theirs</Button>
            <Button onClick={draft.forget}>Use theirs</Button>
          </div>
        </div>
      )}
      {theirs && (
        <div role="alert" className="my-3 flex items-center gap-4 border-l-4 border-brass bg-sheet px-4 py-2">
          <span className="grow">
            {policy.updated_by} saved this draft just now. What you see below is what it is since then.
          </span>
          <Button onClick={() => setSeen(policy.version)}>I have read it</Button>
        </div>
      )}
      {said && (
        <p role="status" className="my-3 border-l-4 border-green bg-green-wash px-4 py-2">
          {said}
        </p>
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
        {!policy && mayEdit && (
          <Choices
            label="Start from"
            value={starts.find((s) => s.source === draft.source)?.name ?? ""}
            choices={starts.map((s) => ({ value: s.name, label: s.name }))}
            onChange={(name) => draft.edit(starts.find((s) => s.name === name)?.source ?? draft.source)}
          />
        )}
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
          <InWords asks={asks} />
          {policy && <Uses name={name} />}
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

const layouts: Record<View, string> = {
  form: "grid-cols-[minmax(0,1fr)_320px]",
  both: "grid-cols-[minmax(0,1fr)_minmax(0,1fr)_300px]",
  yaml: "grid-cols-[minmax(0,1fr)_320px]",
};
