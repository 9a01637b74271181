import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useState } from "react";
import { Link } from "react-router";
import { client, type Finding, type Overview, take } from "../api";
import { Aside, Loading, Nothing, PageHead, Trouble } from "../components/parts";
import { looks, order, StandingBar, StandingCounts, total } from "../components/standing";
import { Words } from "../components/words";
import { clock, useNow } from "../time";

/** The fleet now: how it stands, what needs a decision, what changed in the last day. */
export function WatchPage() {
  const watch = useQuery({ queryKey: ["watch"], queryFn: () => take(client.GET("/api/v1/watch")) });
  if (watch.isPending) return <Loading />;
  if (!watch.data) return <Trouble error={watch.error as Error} />;
  const fleet = watch.data;
  const waiting = fleet.online - fleet.online_verified;
  return (
    <>
      {watch.error && <Trouble error={watch.error} />}
      <PageHead
        tab="Watch"
        title={`${fleet.devices} devices, ${fleet.online} online`}
        note={
          fleet.unsettled > 0
            ? "A change is still being settled for its devices."
            : waiting === 0
              ? fleet.standings.held > 0
                ? `All online devices are verified; ${fleet.standings.held === 1 ? "1 device has" : `${fleet.standings.held} devices have`} held settings that need a decision.`
                : "All online devices are verified against their latest desired state."
              : `${waiting} online ${waiting === 1 ? "device has" : "devices have"} not reported on their latest desired state yet.`
        }
      />
      <StandingBar standings={fleet.standings} />
      <div className="mt-2 mb-6">
        <StandingCounts standings={fleet.standings} to={(s) => `/devices?standing=${s}`} />
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(340px,28%)] gap-8">
        <Strips fleet={fleet} />
        <div>
          <Decisions fleet={fleet} />
          <LastDay fleet={fleet} />
        </div>
      </div>
    </>
  );
}

function Strips({ fleet }: { fleet: Overview }) {
  if (fleet.strips.length === 0) {
    return <Nothing>No groups yet. Create one with the command: rankwarden group create NAME DEVICE...</Nothing>;
  }
  return (
    <section className="border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">Groups (one mark per device)</h2>
      <table className="w-full">
        <thead className="sr-only">
          <tr>
            <th>Group</th>
            <th>Devices</th>
            <th>In step</th>
          </tr>
        </thead>
        <tbody>
          {fleet.strips.map((strip) => (
            <tr key={strip.group} className="border-b border-hairline align-top">
              <th scope="row" className="w-44 py-2 text-left font-normal">
                <Link to={`/devices?group=${strip.group}`}>{strip.group}</Link>
              </th>
              <td className="py-2">
                {strip.marks.length > 0 ? (
                  <Marks group={strip.group} marks={strip.marks} />
                ) : (
                  <StandingBar standings={strip.standings} thin />
                )}
              </td>
              <td className="w-36 py-2 text-right whitespace-nowrap text-second">
                {strip.standings.in_step} of {total(strip.standings)} in step
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-3 flex flex-wrap gap-x-5 text-xs text-second">
        {order.map((s) => (
          <span key={s}>
            <span aria-hidden className={looks[s].text}>
              {looks[s].glyph}
            </span>{" "}
            {looks[s].word}
          </span>
        ))}
      </p>
    </section>
  );
}

/** The devices of a group. The tab key comes to one of them; the arrow keys go on from there. */
function Marks({ group, marks }: { group: string; marks: Overview["strips"][number]["marks"] }) {
  const [at, setAt] = useState(0);
  const onKey = (event: KeyboardEvent<HTMLUListElement>) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    const next = event.key === "Home" ? 0 : event.key === "End" ? marks.length - 1 : step ? at + step : -1;
    if (next < 0 || next >= marks.length) return;
    event.preventDefault();
    setAt(next);
    event.currentTarget.querySelectorAll("a")[next]?.focus();
  };
  return (
    <ul aria-label={`Devices of ${group}`} className="flex flex-wrap gap-x-1 leading-5" onKeyDown={onKey}>
      {marks.map((mark, i) => (
        <li key={mark.device_id}>
          <Link
            to={`/devices/${mark.device}`}
            tabIndex={i === Math.min(at, marks.length - 1) ? 0 : -1}
            onFocus={() => setAt(i)}
            title={`${mark.device}, ${looks[mark.standing].word}`}
            className={`${looks[mark.standing].text} inline-block w-4 text-center hover:no-underline`}
          >
            <span aria-hidden>{looks[mark.standing].glyph}</span>
            <span className="sr-only">
              {mark.device}, {looks[mark.standing].word}
            </span>
          </Link>
        </li>
      ))}
    </ul>
  );
}

const verbs: Partial<Record<Overview["decisions"][number]["kind"], string>> = {
  contested: "is contested",
  held: "is held",
  fought: "is repeatedly reverted",
};

/** Where a decision is made; nothing, when it is made on the machine of the service. */
function WayTo({ decision: d }: { decision: Overview["decisions"][number] }) {
  const [to, words] =
    d.kind === "reveal" || d.kind === "no_key"
      ? ["/passwords", "Open passwords"]
      : d.kind === "directory"
        ? ["/organisation/directory", "Open directory"]
        : d.device
          ? [`/devices/${d.device}`, d.unit ? `Compare assignments on ${d.device}` : `Open ${d.device}`]
          : ["", ""];
  if (!to) return null;
  return (
    <Link to={to} className="font-semibold text-brass">
      {words}
    </Link>
  );
}

function Decisions({ fleet }: { fleet: Overview }) {
  return (
    <Aside title={fleet.decisions.length ? `Needs a decision: ${fleet.decisions.length}` : "Needs a decision"}>
      {fleet.decisions.length === 0 && <p className="text-second">No decisions needed.</p>}
      <ul className="space-y-3">
        {fleet.decisions.map((d) => (
          <li
            key={`${d.unit} ${d.device_id} ${d.detail}`}
            className={`border-l-4 px-3 py-2 ${d.kind === "fought" ? "border-brass bg-sheet" : "border-held bg-held-wash"}`}
          >
            <p className="font-semibold">
              <span aria-hidden className={d.kind === "fought" ? "text-brass" : "text-held"}>
                {d.kind === "fought" ? "⇄" : "▮▮"}
              </span>{" "}
              {d.title}
              {verbs[d.kind] && ` ${verbs[d.kind]} on ${d.devices} device${d.devices === 1 ? "" : "s"}`}
            </p>
            <p>{d.detail}.</p>
            <p className="mt-1">
              <WayTo decision={d} />
            </p>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

const actions: Record<string, string> = {
  "policy.saved": "saved the draft of policy",
  "policy.published": "published policy",
  "assignment.made": "made assignment",
  "assignment.changed": "changed assignment",
  "assignment.removed": "removed assignment",
  "group.made": "made group",
  "group.changed": "changed group",
  "group.removed": "removed group",
  "operator.added": "added operator",
  "operator.changed": "changed operator",
  "token.made": "made API token",
  "token.revoked": "revoked API token",
  "enrolment.token_made": "created enrolment token",
  "enrolment.token_revoked": "revoked enrolment token",
  "keys.listed": "signed a new list of keys",
  "keys.made": "created escrow key",
  "keys.proved": "activated escrow key",
  "keys.retired": "retired escrow key",
  "keys.resealed": "re-sealed the deposits of escrow key",
  "deposits.exported": "exported sealed",
  "password.revealed": "viewed a password of",
  "reveal.approved": "approved a view of a password of",
  "reveal.declined": "declined a view of a password of",
  "order.made": "sent the order",
  "directory.imported": "imported people and groups into the",
  "directory.kept_in_step": "synchronised the",
  "directory.let_go": "deleted people or groups that vanished from the",
  "service.restored": "began a new epoch of the",
};

const outcome = { open: "", settled: "settled: ", corrected: "corrected by the device: " };

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

function LastDay({ fleet }: { fleet: Overview }) {
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
