import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import type { PolicyDraft } from "@/api/types";
import { nameOf, startChange } from "@/changes/choose-change";
import { counted } from "@/domain/count";
import { GroupFilter } from "@/domain/group-filter";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";

type StartProps = { open: boolean; close: () => void; started: (change: string) => void };

/** Drafts a first policy from what the devices of a group have in common, and starts a change with it. */
export function StartFromGroup({ open, close, started }: StartProps) {
  return (
    <Window
      open={open}
      close={close}
      wide
      title="Start from a group"
      note="Drafts a policy with the values that most devices of a group reported. Nothing on a device is altered before the change is applied."
    >
      <DraftForm close={close} started={started} />
    </Window>
  );
}

const rankOfFirst = 500;

function DraftForm({ close, started }: Omit<StartProps, "open">) {
  const [group, setGroup] = useState("");
  const [tolerance, setTolerance] = useState("5");
  const of = group || "everything";
  const name = nameOf(`first ${of}`);
  const drafting = useMutation({
    mutationFn: () => change.draftPolicy({ group: of, name, tolerance: Number(tolerance) }),
  });
  const starting = useMutation({
    mutationFn: async (source: string) => {
      const made = await startChange(`A first policy for ${of}`, "");
      await change.addEdit(made.name, { kind: "publish", name, based_on: 0, document: source });
      const assignment = {
        name,
        policy: name,
        include: [of],
        exclude: [],
        within: [],
        rank: rankOfFirst,
        stance: "enforce" as const,
      };
      await change.addEdit(made.name, { kind: "assign", name, based_on: 0, assignment });
      return made.name;
    },
    onSuccess: started,
  });
  const usable = /^\d+$/.test(tolerance) && Number(tolerance) <= 49;
  const show = (event: FormEvent) => {
    event.preventDefault();
    drafting.mutate();
  };
  const draft = drafting.data;
  return (
    <>
      <form onSubmit={show} className="flex flex-wrap items-end gap-4">
        <GroupFilter
          value={group}
          onChange={(next) => {
            setGroup(next);
            drafting.reset();
          }}
        />
        <TextField
          label="Tolerance in percent"
          inputMode="numeric"
          value={tolerance}
          onChange={(event) => setTolerance(event.target.value)}
          problem={usable ? undefined : "A whole number from 0 to 49"}
        />
        <Button type="submit" disabled={!usable || drafting.isPending}>
          Show draft
        </Button>
      </form>
      <p className="mt-2 text-second">
        A value is drafted when at most so many percent of the devices have another one.
      </p>
      {drafting.error && <Trouble error={drafting.error} />}
      {draft && <Drafted draft={draft} />}
      {starting.error && <Trouble error={starting.error} />}
      <WindowFoot>
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button
            primary
            disabled={!draft?.source || starting.isPending}
            onClick={() => draft && starting.mutate(draft.source)}
          >
            Start a change with it
          </Button>
        </div>
      </WindowFoot>
    </>
  );
}

/** How far devices agree, who would leave, and what a policy cannot say. */
function Drafted({ draft }: { draft: PolicyDraft }) {
  const silent = draft.silent > 0 ? `; ${counted(draft.silent)} more never reported` : "";
  return (
    <section aria-label="Draft" className="mt-4 space-y-4">
      <p>
        {draft.source
          ? `Drafted from ${counted(draft.devices)} ${draft.devices === 1 ? "device" : "devices"}${silent}.`
          : "These devices have nothing in common that a policy could ask for."}
      </p>
      <table className="w-full text-left">
        <thead className="text-second">
          <tr>
            <th className="pr-3 font-normal">Setting</th>
            <th className="pr-3 font-normal">Most have</th>
            <th className="pr-3 text-right font-normal">Have it</th>
            <th className="pr-3 text-right font-normal">Differ</th>
            <th className="font-normal">In the policy</th>
          </tr>
        </thead>
        <tbody>
          {draft.settings.map((s) => (
            <tr key={s.unit} className="border-t border-hairline">
              <td className="py-1 pr-3">{s.title}</td>
              <td className="pr-3">{s.words}</td>
              <td className="pr-3 text-right">{counted(s.devices)}</td>
              <td className={`pr-3 text-right ${s.other > 0 ? "font-semibold" : ""}`}>{counted(s.other)}</td>
              <td>{s.drafted ? "yes" : <span className="text-second">no</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {draft.not_kept.length > 0 && (
        <div>
          <h3 className="font-bold">Would leave</h3>
          <ul>
            {draft.not_kept.map((n) => (
              <li key={`${n.unit} ${n.member}`} className="border-t border-hairline py-1">
                <span className="font-mono">{n.member}</span> leaves {n.title}, on {counted(n.devices)}{" "}
                {n.devices === 1 ? "device" : "devices"}
              </li>
            ))}
          </ul>
        </div>
      )}
      {draft.unwritten.length > 0 && (
        <div>
          <h3 className="font-bold">A policy cannot say</h3>
          <ul className="list-disc pl-5">
            {draft.unwritten.map((what) => (
              <li key={what}>{what}</li>
            ))}
          </ul>
        </div>
      )}
      {draft.source && (
        <details>
          <summary>The policy</summary>
          <pre className="overflow-auto border border-hairline bg-paper p-3 font-mono text-xs">{draft.source}</pre>
        </details>
      )}
    </section>
  );
}
