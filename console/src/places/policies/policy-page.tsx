import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { change, fetchOnce } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeEdit, DocumentProblem, Policy, PolicyCheck } from "@/api/types";
import { useDrafted, withEdits } from "@/changes/drafted";
import { PreviewSums } from "@/changes/sums";
import { useAddEdit } from "@/changes/use-add-edit";
import { useStill } from "@/domain/still";
import { ago, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { useChecks, useDraft } from "./use-draft";
import { YamlEditor } from "./yaml-editor";

const start = `format: rankwarden.policy/1
name: my-policy
title: What this policy is for

passwords:
  min_length: 14

lockout:
  threshold: 5
  duration: 15m
  window: 15m
`;

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
  const draft = useDraft(name, policy ?? { source: start, version: 0 });
  const { problems, asks, checking } = useChecks(draft.source);
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
      {draft.moved && (
        <div role="alert" className="my-3 border-l-4 border-brass bg-sheet px-4 py-2">
          Somebody else saved this policy while you were editing. Copy what you need, discard what is not saved, and
          repeat your change on what it is now.
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
      <div className="grid grid-cols-[minmax(0,1fr)_320px] gap-7">
        <YamlEditor value={draft.source} problems={problems} readOnly={!mayEdit} onChange={draft.edit} goTo={goTo} />
        <div>
          <Checks problems={problems} checking={checking} show={(line) => setGoTo({ line })} />
          {edit && draft.dirty && <WhatItDoes edit={edit} />}
          <InWords asks={asks} />
          {policy && <Uses name={name} />}
          {policy && (
            <Revisions name={name} show={draft.edit} dirty={draft.dirty} mayEdit={mayEdit} fail={setTrouble} />
          )}
        </div>
      </div>
    </>
  );
}

/** The edit that publishes what is typed, while it differs from what the service has and can be used. */
function useDocumentEdit(source: string, policy: Policy | undefined, usable: boolean): ChangeEdit | undefined {
  const name = /^name:\s*([a-z0-9][a-z0-9-]*)\s*(#.*)?$/m.exec(source)?.[1];
  const still = useStill({ source, usable });
  if (!name || !still.usable || still.source !== source || (policy && policy.name !== name)) return undefined;
  return { kind: "publish", name, document: source, based_on: policy?.version ?? 0 };
}

/** What publishing what is typed would do, while one types. */
function WhatItDoes({ edit }: { edit: ChangeEdit }) {
  const drafted = useDrafted();
  const preview = useQuery({ ...read.previewOf(withEdits(drafted, [edit])), placeholderData: keepPreviousData });
  return (
    <Aside title={drafted.length > 0 ? "What it would do with the draft change" : "What it would do"}>
      <div aria-live="polite" className={preview.isFetching ? "opacity-60" : ""}>
        {preview.error && <Trouble error={preview.error} />}
        {preview.data && <PreviewSums preview={preview.data} />}
      </div>
    </Aside>
  );
}

function Publish(props: { policy: Policy; first: string; busy: boolean; onPublish: () => void }) {
  const { policy, first } = props;
  const used = useUses(policy.name);
  const [open, setOpen] = useState(false);
  if (open && first !== "") setOpen(false); // it is asked again only when somebody presses the button again
  return (
    <>
      <Button primary disabled={props.busy || first !== ""} title={first || undefined} onClick={() => setOpen(true)}>
        Publish…
      </Button>
      <Ask
        open={open}
        title={`Publish revision ${policy.revision + 1} of ${policy.name}?`}
        yes="Publish to all at once"
        onYes={props.onPublish}
        onNo={() => setOpen(false)}
      >
        {used.length === 0
          ? "No assignment uses this policy, so no device changes."
          : `It goes to all devices of ${used.map((a) => a.name).join(", ")} at once, and online ones are told now.`}
      </Ask>
    </>
  );
}

function Checks(props: { problems: DocumentProblem[]; checking: boolean; show: (line: number) => void }) {
  const { problems, checking } = props;
  return (
    <Aside title={problems.length ? `Checks: ${problems.length} to fix` : "Checks"}>
      <div aria-live="polite">
        {problems.length === 0 && (
          <p className={checking ? "text-second" : "text-green"}>{checking ? "Checking …" : "✓ No problems found."}</p>
        )}
        <ul className="space-y-2">
          {problems.map((p) => (
            <li key={`${p.line} ${p.column} ${p.code} ${p.message}`}>
              <button
                type="button"
                onClick={() => props.show(p.line)}
                className={`block w-full border-l-4 px-3 py-1.5 text-left ${p.severity === "error" ? "border-red bg-red-wash" : "border-brass bg-sheet"}`}
              >
                <span className="block text-xs text-second">
                  line {p.line}
                  {p.path && `, ${p.path}`}
                  {p.severity === "warning" && ", warning"}
                </span>
                <span className="break-words">{p.message}</span>
              </button>
            </li>
          ))}
        </ul>
      </div>
    </Aside>
  );
}

/** What the document asks for, as a reader of the device's page will see it. */
function InWords({ asks }: { asks: PolicyCheck["asks"] }) {
  if (asks.length === 0) return null;
  const sections = [...new Set(asks.map((a) => a.section))];
  return (
    <Aside title="Settings">
      <dl className="space-y-2">
        {sections.map((section) => (
          <div key={section}>
            <dt className="text-xs font-semibold text-second">{section}</dt>
            {asks
              .filter((a) => a.section === section)
              .map((a) => (
                <dd key={a.unit} className="border-b border-hairline py-1 break-words">
                  {a.title.toLowerCase() !== section.toLowerCase() && (
                    <span className="font-semibold">{a.title}: </span>
                  )}
                  {a.words}
                </dd>
              ))}
          </div>
        ))}
      </dl>
    </Aside>
  );
}

function useUses(name: string) {
  const uses = useQuery(read.policyUses(name));
  return uses.data?.items ?? [];
}

function Uses({ name }: { name: string }) {
  const uses = useUses(name);
  return (
    <Aside title="Used by">
      {uses.length === 0 && (
        <p className="text-second">
          Not used yet. <Link to="/assignments">Assign it to groups</Link>
        </p>
      )}
      <ul>
        {uses.map((a) => (
          <li key={a.name} className="grid grid-cols-[40px_1fr] gap-2 border-b border-hairline py-1">
            <span className="text-right font-semibold">{a.rank}</span>
            <span>
              {a.name}
              <span className="block text-second">
                to {a.include.join(", ")}
                {a.exclude.length > 0 && `, not ${a.exclude.join(", ")}`} · revision {a.revision}
              </span>
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

type RevisionsProps = {
  name: string;
  show: (source: string) => void;
  dirty: boolean;
  mayEdit: boolean;
  fail: (error: Error) => void;
};

function Revisions(props: RevisionsProps) {
  const now = useNow();
  const [asked, setAsked] = useState(0); // the revision that would replace what is not saved
  const { name } = props;
  const revisions = useQuery(read.policyRevisions(name));
  const bring = async (number: number) => {
    setAsked(0);
    try {
      const r = await fetchOnce.policyRevision(name, number);
      if (r.source) props.show(r.source);
    } catch (error) {
      props.fail(error as Error);
    }
  };
  return (
    <Aside title="Revisions">
      {revisions.data?.items.length === 0 && <p className="text-second">No revision is published yet.</p>}
      <ul>
        {revisions.data?.items.map((r) => (
          <li key={r.number} className="flex justify-between gap-2 border-b border-hairline py-1">
            <span>
              <span className="font-semibold">{r.number}</span>{" "}
              <span className="text-second">
                {ago(r.published_at, now)}, {r.published_by}
              </span>
            </span>
            {props.mayEdit && (
              <button
                type="button"
                onClick={() => (props.dirty ? setAsked(r.number) : bring(r.number))}
                className="font-semibold text-brass hover:underline"
                title="Open this revision in the editor"
              >
                Edit from it
              </button>
            )}
          </li>
        ))}
      </ul>
      <Ask
        open={asked > 0}
        title="Replace unsaved changes?"
        yes={`Replace with revision ${asked}`}
        no="Keep my changes"
        onYes={() => bring(asked)}
        onNo={() => setAsked(0)}
      >
        The editor holds changes that are not saved. They are lost when revision {asked} takes their place.
      </Ask>
    </Aside>
  );
}
