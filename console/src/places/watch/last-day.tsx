import { Link } from "react-router";
import type { Finding, Overview } from "@/api/types";
import { actions } from "@/domain/actions";
import { clock, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { Aside } from "@/ui/page";

const outcome = { open: "", waived: "waived: ", closed: "closed: ", corrected: "corrected by the device: " };

/** Findings that are the same but for their time, latest first, with how often they came. */
function alike(findings: Finding[]): { latest: Finding; times: number }[] {
  const found = new Map<string, { latest: Finding; times: number }>();
  for (const f of findings) {
    const key = [f.device_id, f.unit, f.kind, f.subject, f.state].join("\n");
    const former = found.get(key);
    if (former) former.times += 1;
    else found.set(key, { latest: f, times: 1 });
  }
  return [...found.values()];
}

/** What changed in the last day: edits and findings, latest first. */
export function LastDay({ fleet }: { fleet: Overview }) {
  const now = useNow();
  const rows = [
    ...fleet.edits.map((e) => ({
      key: `edit ${e.at} ${e.action} ${e.object}`,
      at: e.at,
      text: (
        <>
          {e.operator} {actions[e.action] ?? e.action} <span className="font-semibold">{e.object}</span>
        </>
      ),
    })),
    ...alike(fleet.findings).map(({ latest: f, times }) => ({
      key: `finding ${f.id}`,
      at: f.closed_at ?? f.first_seen,
      text: (
        <>
          <Link to={`/devices/${f.device}`} className="font-mono">
            {f.device}
          </Link>{" "}
          {f.unit_title}: <span className={f.state === "open" ? "text-red" : "text-green"}>{outcome[f.state]}</span>
          <Words>{f.words}</Words>
          {times > 1 && <span className="text-second">, {times} times</span>}
        </>
      ),
    })),
  ].sort((a, b) => Date.parse(b.at) - Date.parse(a.at));
  const shown = 14;
  return (
    <Aside title="In the last day">
      {rows.length === 0 && <p className="text-second">No activity.</p>}
      <ol className="space-y-1.5">
        {rows.slice(0, shown).map((row) => (
          <li key={row.key} className="arrive grid grid-cols-[48px_1fr] gap-2">
            <time dateTime={row.at} className="font-mono text-xs leading-5 text-second">
              {clock(row.at, now)}
            </time>
            <span className="min-w-0 break-words">{row.text}</span>
          </li>
        ))}
      </ol>
    </Aside>
  );
}
