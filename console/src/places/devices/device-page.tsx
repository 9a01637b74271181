import { useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { Link, useParams } from "react-router";
import { read } from "@/api/queries";
import type { Device, DeviceWhy, UnitWhy } from "@/api/types";
import { StandingBadge } from "@/domain/standing";
import { ago, clock, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { Button } from "@/ui/button";
import { useFilters } from "@/ui/filters";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { Orders } from "./orders";
import { DevicePasswords } from "./passwords";
import { Happened, History, Locked } from "./story";

/** One device on one screen: its standing, and desired, reported and decided by for every setting. */
export function DevicePage() {
  const { name = "" } = useParams();
  const [params, set] = useFilters();
  const now = useNow();
  const at = params.get("at") ?? ""; // as the field has it, in local time
  const present = useQuery({ ...read.device(name), enabled: at === "" });
  const past = useQuery({ ...read.deviceAt(name, instant(at)), enabled: at !== "" });
  const why = at === "" ? present : past;
  const then = <Then at={at} choose={(at) => set({ at })} />;
  if (why.isPending) return <Loading />;
  if (!why.data) {
    return (
      <>
        {then}
        <Trouble error={why.error as Error} />
      </>
    );
  }
  const { device, units } = why.data;
  const open = device.open_findings;
  return (
    <>
      {why.error && <Trouble error={why.error} />}
      <PageHead
        tab={device.name}
        title={
          <span className="flex items-center gap-3">
            <span className="font-mono">{device.name}</span>
            <span className="text-base">
              <StandingBadge
                standing={device.standing}
                detail={open ? `${open} finding${open === 1 ? "" : "s"}` : undefined}
              />
            </span>
          </span>
        }
        note={[
          device.model,
          device.path,
          device.tags.join(", "),
          osOf(device),
          device.agent_version && `agent ${device.agent_version}`,
          ...(at ? wasSaid(device, now) : isSaid(device, now)),
        ]
          .filter(Boolean)
          .join(" · ")}
      >
        {then}
      </PageHead>
      {why.data.notes.map((note) => (
        <p key={note} role="status" className="mb-3 border-l-4 border-held bg-held-wash px-4 py-2">
          {note}
        </p>
      ))}
      {at && (
        <p role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          This is {device.name} as it was at {new Date(at).toLocaleString()}: what it was to have, what it had reported
          by then, and which assignments decided.
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_336px] gap-7">
        <div>
          <Problems why={why.data} />
          <Units units={units} />
        </div>
        <div>
          {!at && <Locked why={why.data} />}
          {!at && <DevicePasswords device={device.name} />}
          <Happened why={why.data} />
          <History why={why.data} />
          {!at && <Orders why={why.data} />}
          <Reported why={why.data} />
          <Reaching why={why.data} />
        </div>
      </div>
    </>
  );
}

const isSaid = (device: Device, now: number) => [
  `last contact ${ago(device.last_contact, now)}`,
  device.verified_at
    ? `desired state ${device.desired}, verified ${clock(device.verified_at, now)}`
    : `desired state ${device.desired}, not reported yet`,
];

const wasSaid = (device: Device, now: number) => [
  device.desired_at && `desired state ${device.desired} of ${clock(device.desired_at, now)}`,
  device.reported_at ? `reported ${clock(device.reported_at, now)}` : "nothing reported by then",
];

/** A local time of the field, as an instant. */
const instant = (at: string) => (Number.isNaN(Date.parse(at)) ? at : new Date(at).toISOString());

/** Chooses the time at which a device is looked at. */
function Then({ at, choose }: { at: string; choose: (at: string) => void }) {
  return (
    <span className="flex items-center gap-2">
      <label className="flex items-center gap-2 text-second">
        As it was at
        <input
          type="datetime-local"
          value={at}
          onChange={(event) => choose(event.target.value)}
          className="rounded-sm border border-second bg-sheet px-2 py-1 text-ink"
        />
      </label>
      {at && <Button onClick={() => choose("")}>Back to now</Button>}
    </span>
  );
}

function Units({ units }: { units: UnitWhy[] }) {
  if (units.length === 0) {
    return <p className="text-second">No assignment applies to this device.</p>;
  }
  const sections = [...new Set(units.map((u) => u.section))];
  return (
    <table className="w-full table-fixed self-start">
      <colgroup>
        <col className="w-[17%]" />
        <col className="w-[26%]" />
        <col className="w-[29%]" />
        <col className="w-[28%]" />
      </colgroup>
      <thead>
        <tr className="border-b border-hairline text-left text-xs text-second">
          {["Setting", "Desired", "Reported", "Decided by"].map((title) => (
            <th key={title} scope="col" className="px-2.5 py-1.5 font-semibold">
              {title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {sections.map((section) => (
          <Fragment key={section}>
            <tr className="border-b border-ink">
              <th scope="colgroup" colSpan={4} className="px-2.5 pt-4 pb-1 text-left font-bold">
                {section}
              </th>
            </tr>
            {units
              .filter((u) => u.section === section)
              .map((u) => (
                <UnitRow key={u.unit} unit={u} />
              ))}
          </Fragment>
        ))}
      </tbody>
    </table>
  );
}

function UnitRow({ unit }: { unit: UnitWhy }) {
  const told = unit.findings.length > 0;
  const grave = (f: UnitWhy["findings"][number]) => f.kind !== "unit_unsupported" && !f.waived; // others nobody puts right now
  const wrong = unit.findings.some(grave);
  const wash = unit.held ? "bg-held-wash" : wrong ? "bg-red-wash" : "";
  const edge = unit.held ? "border-l-held" : wrong ? "border-l-red" : "border-l-transparent";
  const row = (
    <tr
      className={`align-top ${wash} ${unit.held || unit.repeatedly_reverted || unit.trial ? "" : "border-b border-hairline"}`}
    >
      <th scope="row" className={`border-l-3 px-2.5 py-1.5 text-left font-normal ${edge}`}>
        {unit.title}
        {(told || unit.repeatedly_reverted) && (
          <Link
            to={`history?setting=${encodeURIComponent(unit.unit)}`}
            className="block text-xs text-brass underline decoration-current"
          >
            What happened
          </Link>
        )}
      </th>
      <td className="px-2.5 py-1.5 break-words">
        <Words>{unit.desired}</Words>
      </td>
      <td className="px-2.5 py-1.5 break-words">
        {told ? (
          <>
            {unit.findings.map((f) => (
              <p key={`${f.kind} ${f.subject}`} className={grave(f) ? "font-semibold text-red" : "text-second"}>
                {f.waived &&
                  `waived until ${new Date(f.waived).toLocaleDateString(undefined, { dateStyle: "medium" })}: `}
                <Words>{f.words}</Words>
              </p>
            ))}
            <p className="text-second">
              reported <Words>{unit.reported}</Words>
            </p>
          </>
        ) : (
          <>
            {!unit.in_step && !unit.held && unit.desired !== unit.reported && (
              <span className="text-waiting">
                <span aria-hidden>◔ </span>
                <span className="sr-only">not reported yet: </span>
              </span>
            )}
            {unit.in_step && (
              <span className="text-green">
                <span aria-hidden>✓ </span>
                <span className="sr-only">as desired: </span>
              </span>
            )}
            <Words>{unit.reported}</Words>
          </>
        )}
      </td>
      <td className="px-2.5 py-1.5 break-words text-second">
        {unit.held && (
          <p className="font-semibold text-held">
            <span aria-hidden>▮▮</span> held: {unit.held}
          </p>
        )}
        {unit.held ? unit.decided_by : <Verdict unit={unit} />}
      </td>
    </tr>
  );
  const claims = unit.held && unit.over.length > 0;
  if (!claims && !unit.repeatedly_reverted && !unit.trial) return row;
  return (
    <>
      {row}
      <tr className={`border-b border-hairline align-top ${wash}`}>
        <td className={`border-l-3 ${edge}`} />
        <td colSpan={3} className="space-y-1 px-2.5 pb-2">
          {claims && <Claims unit={unit} />}
          {unit.repeatedly_reverted && (
            <p className="font-semibold text-brass">
              <span aria-hidden>⇄ </span>Somebody or something changes it back again and again, so the device tries only
              once an hour. Find out who.
            </p>
          )}
          {unit.trial && <OnTrial trial={unit.trial} />}
        </td>
      </tr>
    </>
  );
}

/** What trial assignments would make of a unit. */
function OnTrial({ trial }: { trial: NonNullable<UnitWhy["trial"]> }) {
  return (
    <div className="border-l border-dashed border-waiting pl-2 text-waiting">
      On trial: <Words>{trial.desired}</Words>; {trial.decided_by}.
      {trial.effects.map((e) => (
        <p key={`${e.effect} ${e.subject}`} className={e.takes_away ? "text-red" : ""}>
          If it were enforced: <Words>{e.words}</Words>
        </p>
      ))}
    </div>
  );
}

/** What is wrong with the whole, though each unit for itself is settled. */
function Problems({ why }: { why: DeviceWhy }) {
  if (why.problems.length === 0) return null;
  return (
    <ul className="mb-3 space-y-1">
      {why.problems.map((p) => (
        <li
          key={`${p.code} ${p.unit} ${p.words}`}
          className={`border-l-3 px-2.5 py-1 ${p.severity === "error" ? "border-l-held bg-held-wash" : "border-l-brass bg-sheet"}`}
        >
          <span className={`font-semibold ${p.severity === "error" ? "text-held" : "text-brass"}`}>
            {p.severity === "error" ? "▮▮ held" : "! warning"}
          </span>{" "}
          <span className="text-second">{p.unit}:</span> <Words>{p.words}</Words>
        </li>
      ))}
    </ul>
  );
}

function Verdict({ unit }: { unit: UnitWhy }) {
  const line = (
    <>
      {unit.rank > 0 && `rank ${unit.rank}: `}
      {unit.decided_by}
    </>
  );
  if (unit.over.length === 0) return line;
  return (
    <details>
      <summary>{line}</summary>
      <Claims unit={unit} />
    </details>
  );
}

/** The assignments that claimed the setting and did not decide it. */
function Claims({ unit }: { unit: UnitWhy }) {
  return (
    <ul className="mt-1 space-y-0.5 border-l border-hairline pl-2">
      {unit.over.map((l) => (
        <li key={l.assignment}>
          <span className="font-semibold">{l.assignment}</span>, rank {l.rank}, requires <Words>{l.claim}</Words>:{" "}
          {l.why}
        </li>
      ))}
    </ul>
  );
}

function Reported({ why }: { why: DeviceWhy }) {
  const state = (a: DeviceWhy["accounts"][number]) => (a.locked ? "locked" : a.enabled ? "enabled" : "disabled");
  return (
    <Aside title="Local accounts, as reported">
      {why.accounts.length === 0 && <p className="text-second">Not reported yet.</p>}
      <ul>
        {why.accounts.map((a) => (
          <li key={a.sid} className="flex justify-between gap-2 border-b border-hairline py-1" title={a.sid}>
            <span className="min-w-0 truncate font-mono">{a.name}</span>
            <span className={a.locked ? "font-semibold text-red" : "text-second"}>
              {a.builtin && "built-in, "}
              {a.key && `managed ${a.key}, `}
              {state(a)}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

const reasons: Record<DeviceWhy["assignments"][number]["reason"], string> = {
  included: "",
  excluded: "excluded here",
  outside: "outside its scope",
  undecided: "undecided: unknown fact",
};

function Reaching({ why }: { why: DeviceWhy }) {
  return (
    <Aside title="Assignments">
      {why.assignments.length === 0 && <p className="text-second">None.</p>}
      <ul>
        {why.assignments.map((a) => (
          <li
            key={a.assignment}
            className={`grid grid-cols-[40px_1fr] gap-2 border-b border-hairline py-1 ${a.reason === "included" ? "" : "text-second"}`}
          >
            <span className="text-right font-semibold">{a.rank}</span>
            <span className="min-w-0 break-words">
              {a.assignment}{" "}
              <span className="text-second">
                by policy{" "}
                <Link to={`/policies/${a.policy}`} className="text-brass underline decoration-current">
                  {a.policy}
                </Link>
                , revision {a.revision}
              </span>
              {a.stance === "trial" && <span className="text-waiting"> · on trial</span>}
              {a.reason !== "included" && (
                <span className={a.reason === "undecided" ? "font-semibold text-held" : ""}>
                  {" "}
                  · {reasons[a.reason]}
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

/** Its operating system: the build where one tells more than the version, as on Windows. */
function osOf(device: { platform: string; os_version: string; os_build: number }) {
  if (device.platform !== "windows") return `${device.platform}, ${device.os_version}`;
  return device.os_build ? `${device.platform} build ${device.os_build}` : `${device.platform}, unknown build`;
}
