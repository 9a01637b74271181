import { useState } from "react";
import { Link } from "react-router";
import type { ChangeSummary, Held, Overview } from "@/api/types";
import { TextButton } from "@/ui/button";
import { Aside } from "@/ui/page";
import { Braked } from "./braked";
import { ofTheService } from "./service-notes";

type Decision = Overview["decisions"][number];

const verbs: Partial<Record<Decision["kind"], string>> = {
  contested: "is contested",
  held: "is held",
  reverted: "is repeatedly reverted",
};

/** What waits and is drawn with more than a decision says of it. */
const shownApart = new Set<string>(["change", "brake"]);

/** Where decisions of a kind are made, whichever device they are about. */
const made: Partial<Record<Decision["kind"], (d: Decision) => [to: string, words: string]>> = {
  reveal: () => ["/passwords", "Open passwords"],
  no_key: () => ["/passwords", "Open passwords"],
  wave: (d) => [`/rollouts/${d.object}`, "Look at the rollout"],
  key: () => ["/organisation/keys", "Open keys"],
  waiver: () => ["/waivers", "Open waivers"],
  warrant: () => ["/warrants", "Open warrants"],
  sheet: () => ["/sheets", "Open sealed sheets"],
  drill: () => ["/organisation/keys", "Open keys"],
  trail: () => ["/trail", "Open the trail"],
  left: () => ["/accounts?which=left", "Open accounts"],
  directory: () => ["/organisation/directory", "Open directory"],
};

/** Where a decision about a device is made. */
function onDevice(d: Decision): [to: string, words: string] {
  if (d.kind === "contested") return [`/ladder?device=${d.device}`, "Decide on the ladder"];
  if (d.kind === "reverted") {
    return [`/devices/${d.device}/history?setting=${encodeURIComponent(d.unit)}`, `See who was on ${d.device}`];
  }
  return [`/devices/${d.device}`, d.unit ? `Compare assignments on ${d.device}` : `Open ${d.device}`];
}

/** Where a decision is made; nothing, when it is made on the machine of the service. */
function WayTo({ decision: d }: { decision: Decision }) {
  const [to, words] = made[d.kind]?.(d) ?? (d.device ? onDevice(d) : ["", ""]);
  if (!to) return null;
  return (
    <Link to={to} className="font-semibold text-brass">
      {words}
    </Link>
  );
}

type DecisionsProps = { fleet: Overview; changes: ChangeSummary[]; held: Held[]; mayDecide: boolean };

/** What waits for an operator. */
export function Decisions({ fleet, changes, held, mayDecide }: DecisionsProps) {
  const waiting = changes.filter((c) => c.state === "waiting" || c.state === "approved");
  const [all, setAll] = useState(false);
  const decisions = fleet.decisions.filter((d) => !ofTheService.has(d.kind) && !shownApart.has(d.kind));
  const count = decisions.length + waiting.length + held.length;
  const cards = [
    ...held.map((h) => <Braked key={h.id} held={h} mayDecide={mayDecide} />),
    ...waiting.map((c) => <OfChange key={c.name} of={c} />),
    ...decisions.map((d) => <OnDevices key={`${d.unit} ${d.device_id} ${d.detail}`} of={d} />),
  ];
  const shown = all ? cards : cards.slice(0, atFirst);
  return (
    <Aside title={count ? `Needs a decision: ${count}` : "Needs a decision"}>
      {count === 0 && <p className="text-second">No decisions needed.</p>}
      <ul className="grid grid-cols-3 gap-3 max-[1100px]:grid-cols-2 max-[700px]:grid-cols-1">{shown}</ul>
      {cards.length > atFirst && (
        <p className="mt-2">
          <TextButton aria-expanded={all} onClick={() => setAll(!all)}>
            {all ? "Fewer" : `${cards.length - atFirst} more`}
          </TextButton>
        </p>
      )}
    </Aside>
  );
}

/** How many decisions are shown before somebody asks for all. */
const atFirst = 6;

/** A change that waits for a second person, or is approved and waits to be started. */
function OfChange({ of: c }: { of: ChangeSummary }) {
  return (
    <li className="border-l-4 border-waiting bg-waiting-wash px-3 py-2">
      <p className="font-semibold">{c.title || c.name}</p>
      <p>
        {c.state === "approved"
          ? "It is approved, and nothing has gone out: somebody starts it."
          : `${c.asked_by} asked for it to go out; a second person must approve it: ${c.needs.join("; ")}.`}
      </p>
      <p className="mt-1">
        <Link to={`/changes/${c.name}`} className="font-semibold text-brass">
          Look at the change
        </Link>
      </p>
    </li>
  );
}

function OnDevices({ of: d }: { of: Decision }) {
  const back = d.kind === "reverted";
  return (
    <li className={`border-l-4 px-3 py-2 ${back ? "border-brass bg-sheet" : "border-held bg-held-wash"}`}>
      <p className="font-semibold">
        <span aria-hidden className={back ? "text-brass" : "text-held"}>
          {back ? "⇄" : "▮▮"}
        </span>{" "}
        {d.title}
        {verbs[d.kind] && ` ${verbs[d.kind]} on ${d.devices} device${d.devices === 1 ? "" : "s"}`}
      </p>
      <p>{d.detail}.</p>
      <p className="mt-1">
        <WayTo decision={d} />
      </p>
    </li>
  );
}
