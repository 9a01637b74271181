import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { fetchOnce } from "@/api/changes";
import { read } from "@/api/queries";
import type { DocumentProblem, PolicyCheck } from "@/api/types";
import { counted } from "@/domain/count";
import { lineDifference } from "@/domain/difference";
import { Lines } from "@/domain/lines";
import { ago, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { Ask } from "@/ui/ask";
import { TextButton } from "@/ui/button";
import { Aside } from "@/ui/page";

/** What is wrong with the document, each with the way to its line. */
export function Checks(props: { problems: DocumentProblem[]; checking: boolean; show: (line: number) => void }) {
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

/** Accounts that devices have already, and that the document would take over. */
export function TakesOver({ exists }: { exists: PolicyCheck["exists"] }) {
  if (exists.length === 0) return null;
  return (
    <Aside title="Takes over">
      <ul className="space-y-1">
        {exists.map((e) => (
          <li key={e.key} className="border-b border-hairline py-1">
            <span className="font-semibold">{e.key}: </span>
            an account named <span className="font-mono">{e.name}</span> exists already on {counted(e.devices)}{" "}
            {e.devices === 1 ? "device" : "devices"}. The preview of a change names them, with their last sign-in.
          </li>
        ))}
      </ul>
    </Aside>
  );
}

/** What the document asks for, as a reader of the device's page will see it. */
export function InWords({ asks }: { asks: PolicyCheck["asks"] }) {
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
                  <Words>{a.words}</Words>
                </dd>
              ))}
          </div>
        ))}
      </dl>
    </Aside>
  );
}

type RevisionsProps = {
  name: string;
  source: string; // what is being edited
  show: (source: string) => void;
  dirty: boolean;
  mayEdit: boolean;
  fail: (error: Error) => void;
};

/** What was published, to compare with and to edit from. */
export function Revisions(props: RevisionsProps) {
  const now = useNow();
  const [asked, setAsked] = useState(0); // the revision that would replace what was typed
  const [compared, setCompared] = useState<{ number: number; source: string } | null>(null);
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
  const compare = async (number: number) => {
    if (compared?.number === number) return setCompared(null);
    try {
      const r = await fetchOnce.policyRevision(name, number);
      setCompared({ number, source: r.source ?? "" });
    } catch (error) {
      props.fail(error as Error);
    }
  };
  return (
    <Aside title="Revisions">
      {revisions.data?.items.length === 0 && <p className="text-second">No revision is published yet.</p>}
      <ul>
        {revisions.data?.items.map((r) => (
          <li key={r.number} className="flex gap-3 border-b border-hairline py-1">
            <span className="grow">
              <span className="font-semibold">{r.number}</span>{" "}
              <span className="text-second">
                {ago(r.published_at, now)}, {r.published_by}
              </span>
            </span>
            <TextButton aria-expanded={compared?.number === r.number} onClick={() => compare(r.number)}>
              Compare<span className="sr-only"> with revision {r.number}</span>
            </TextButton>
            {props.mayEdit && (
              <TextButton
                onClick={() => (props.dirty ? setAsked(r.number) : bring(r.number))}
                title="Open this revision in the editor"
              >
                Edit from it
              </TextButton>
            )}
          </li>
        ))}
      </ul>
      {compared && (
        <Lines
          label={`From revision ${compared.number} to what is here`}
          lines={lineDifference(compared.source, props.source)}
        />
      )}
      <Ask
        open={asked > 0}
        title="Replace what you typed?"
        yes={`Replace with revision ${asked}`}
        no="Keep what I typed"
        onYes={() => bring(asked)}
        onNo={() => setAsked(0)}
      >
        What you typed is in no change yet. It is lost when revision {asked} takes its place.
      </Ask>
    </Aside>
  );
}
