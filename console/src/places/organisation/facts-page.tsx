import { useState } from "react";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import type { Preview } from "@/api/types";
import { PreviewSums } from "@/changes/sums";
import { type FactRow, factsIn } from "@/domain/tabular";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { PageHead, Trouble } from "@/ui/page";
import { Faults } from "./faults";
import { OrganisationParts } from "./parts";

const atOnce = 5000; // devices in one request

/** What the organisation knows of devices, from a table: path, tags and primary user. */
export function FactsPage() {
  const [text, setText] = useState("");
  const [done, setDone] = useState(-1); // devices that are set, -1 before anything was sent
  const [running, setRunning] = useState<AbortController | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [look, setLook] = useState<{ from: number; preview: Preview } | null>(null); // what must be looked at first
  const [reason, setReason] = useState("");
  const { facts, faults } = factsIn(text);
  const send = async (first = 0, seen?: { seen: string; reason: string }) => {
    const stop = new AbortController();
    setRunning(stop);
    setError(null);
    setLook(null);
    setDone(first);
    let from = first;
    try {
      for (; from < facts.length && !stop.signal.aborted; from += atOnce) {
        await change.setFacts(facts.slice(from, from + atOnce), from === first ? seen : undefined);
        setDone(Math.min(from + atOnce, facts.length));
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
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-7">
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
              disabled={facts.length === 0 || faults.length > 0 || running !== null}
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
        <Read facts={facts} />
      </div>
    </>
  );
}

const shown = 20;

/** What was understood, before anything is sent. */
function Read({ facts }: { facts: FactRow[] }) {
  if (facts.length === 0) return <p className="text-second">What is read appears here, before anything is sent.</p>;
  return (
    <table className="h-fit w-full text-left">
      <thead>
        <tr className="border-b border-ink text-xs text-second">
          <th className="py-1.5">Device</th>
          <th>Path</th>
          <th>Tags</th>
          <th>Primary user</th>
        </tr>
      </thead>
      <tbody>
        {facts.slice(0, shown).map((f) => (
          <tr key={f.device} className="border-b border-hairline">
            <td className="py-1 font-mono">{f.device}</td>
            <td>{f.path}</td>
            <td>{f.tags?.join(" ")}</td>
            <td>{f.primary_user}</td>
          </tr>
        ))}
        {facts.length > shown && (
          <tr>
            <td colSpan={4} className="py-1 text-second">
              and {facts.length - shown} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
