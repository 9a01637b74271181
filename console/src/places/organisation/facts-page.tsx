import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { Link } from "react-router";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { read } from "@/api/queries";
import { factsAtOnce } from "@/api/queries/organisation";
import type { Preview, Schemas } from "@/api/types";
import { PreviewSums } from "@/changes/sums";
import { Altered } from "@/domain/altered";
import { devices } from "@/domain/count";
import { factsIn } from "@/domain/tabular";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { Faults } from "./faults";
import { OrganisationParts } from "./parts";

/** What the organisation knows of devices, from a table: path, tags and primary user. */
export function FactsPage() {
  const [text, setText] = useState("");
  const [done, setDone] = useState(-1); // devices that are set, -1 before anything was sent
  const [running, setRunning] = useState<AbortController | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [look, setLook] = useState<{ from: number; preview: Preview } | null>(null); // what must be looked at first
  const [reason, setReason] = useState("");
  const { facts, faults } = useMemo(() => factsIn(text), [text]);
  const trial = useQuery(read.factsTrial(useDeferredValue(facts)));
  const unknown = trial.data?.unknown ?? [];
  const send = async (first = 0, seen?: { seen: string; reason: string }) => {
    const stop = new AbortController();
    setRunning(stop);
    setError(null);
    setLook(null);
    setDone(first);
    let from = first;
    try {
      for (; from < facts.length && !stop.signal.aborted; from += factsAtOnce) {
        await change.setFacts(facts.slice(from, from + factsAtOnce), from === first ? seen : undefined);
        setDone(Math.min(from + factsAtOnce, facts.length));
      }
    } catch (failed) {
      if (failed instanceof Refusal && failed.code === "look_first" && failed.preview) {
        setLook({ from, preview: failed.preview });
      } else {
        setError(failed instanceof Error ? failed : new Error("It failed; try again."));
      }
    } finally {
      setRunning(null);
    }
  };
  const file = async (chosen: File | undefined) => chosen && setText(await chosen.text());
  return (
    <>
      <PageHead
        tab="Device facts"
        title="Device facts"
        note="Facts that the organisation sets, for rules of groups: path, tags and primary user. They take effect at once, unless they give somebody access or alter much."
      />
      <OrganisationParts />
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-7 max-[900px]:grid-cols-1">
        <div className="space-y-2">
          <TextArea
            label="A table with a head: device, path, tags, primary_user"
            rows={14}
            placeholder={"device,path,tags\nSKL-TKT-001,north/kirkness/desk,kiosk loaner"}
            className="font-mono text-sm"
            value={text}
            onChange={(event) => {
              setText(event.target.value);
              setDone(-1);
            }}
          />
          <label className="block text-second">
            Or read a CSV file
            <input
              type="file"
              accept=".csv,text/csv,text/plain"
              className="mt-1 block w-full text-sm"
              onChange={(event) => file(event.target.files?.[0])}
            />
          </label>
          <Faults faults={faults} />
          <div className="flex items-center gap-3">
            <Button
              primary
              onClick={() => send()}
              disabled={facts.length === 0 || faults.length > 0 || unknown.length > 0 || running !== null}
            >
              Set facts of {facts.length} {facts.length === 1 ? "device" : "devices"}
            </Button>
            {running && <Button onClick={() => running.abort()}>Stop</Button>}
            {done >= 0 && (
              <span role="status" className={done === facts.length ? "text-green" : ""}>
                {done === facts.length ? "✓ " : ""}
                {done} of {facts.length} set.
              </span>
            )}
          </div>
          {error && <Trouble error={error} />}
          <Ask
            open={look !== null}
            title="Set these facts?"
            yes={look?.preview.needs.length ? "Ask for it" : "Set them"}
            ready={!look?.preview.ways.length || reason.trim() !== ""}
            onYes={() => look && send(look.from, { seen: look.preview.digest, reason })}
            onNo={() => setLook(null)}
          >
            Groups by rule follow these facts, so policies reach other devices.
            {look && <PreviewSums preview={look.preview} />}
            {look?.preview.needs.map((why) => (
              <span key={why} className="mt-2 block">
                Somebody else must agree: {why}.
              </span>
            ))}
            <TextField label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
          </Ask>
        </div>
        {facts.length === 0 ? (
          <p className="text-second">What it would alter appears here, before anything is set.</p>
        ) : (
          <Alters trial={trial.data} error={trial.error} whole={faults.length === 0} />
        )}
      </div>
    </>
  );
}

const named = 8;

/** What these facts would alter, before anything is set. */
function Alters({ trial, error, whole }: { trial?: Schemas["FactsTrial"]; error: Error | null; whole: boolean }) {
  if (error) return <Trouble error={error} />;
  if (!trial) return <Loading />;
  const { altered, groups, unknown } = trial;
  return (
    <div className="space-y-4">
      {!whole && <p className="text-second">Of the lines that can be read:</p>}
      {unknown.length > 0 && (
        <p role="alert" className="border-l-4 border-red bg-red-wash px-3 py-1.5">
          {unknown.length === 1 ? "There is no device " : `${unknown.length} names are those of no device: `}
          <span className="font-mono">{unknown.slice(0, named).join(", ")}</span>
          {unknown.length > named && ` and ${unknown.length - named} more`}. Facts are set for all of these devices or
          for none, so take {unknown.length === 1 ? "it" : "them"} out first.
        </p>
      )}
      <section>
        <h2 className="mb-1 font-semibold">Groups by rule</h2>
        {groups.length === 0 ? (
          <p className="text-second">No device joins or leaves a group.</p>
        ) : (
          <ul>
            {groups.map((g) => (
              <li key={g.group} className="border-b border-hairline py-1">
                <Link to={`/devices?group=${encodeURIComponent(g.group)}`} className="font-mono">
                  {g.group}
                </Link>
                {": "}
                {g.joins.length > 0 && <Moved names={g.joins} word={g.joins.length === 1 ? "joins" : "join"} />}
                {g.joins.length > 0 && g.leaves.length > 0 && "; "}
                {g.leaves.length > 0 && <Moved names={g.leaves} word={g.leaves.length === 1 ? "leaves" : "leave"} />}
              </li>
            ))}
          </ul>
        )}
      </section>
      <section>
        <h2 className="mb-1 font-semibold">{devices(trial.devices)} with other facts</h2>
        {altered.length > 0 && <Altered rows={altered} />}
      </section>
    </div>
  );
}

function Moved({ names, word }: { names: string[]; word: string }) {
  return (
    <>
      {devices(names.length)} {word}{" "}
      <span className="text-second">
        ({names.slice(0, 3).join(", ")}
        {names.length > 3 && ", …"})
      </span>
    </>
  );
}
