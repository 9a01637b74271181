import { Fragment } from "react";
import { Link } from "react-router";
import type { UnitWhy } from "@/api/types";
import { stamp } from "@/domain/time";
import { Words } from "@/domain/words";

/** One device on one screen: its standing, and desired, reported and decided by for every setting. */
export function Units({ units }: { units: UnitWhy[] }) {
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
  const grave = (f: UnitWhy["findings"][number]) => f.drifts && !f.waived; // others are not wrong, or nobody puts right now
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
                {f.waived && `waived until ${stamp(f.waived)}: `}
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
        {unit.warrants.map((w) => (
          <p key={w.principal} className="text-waiting">
            <Words>{w.words}</Words>
          </p>
        ))}
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
              <span aria-hidden>⇄ </span>Somebody or something changes it back again and again, so the device tries once
              an hour, and at every look where the setting guards who gets in. Find out who.
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
