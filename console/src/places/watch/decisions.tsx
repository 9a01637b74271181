import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { read } from "@/api/queries";
import type { Overview } from "@/api/types";
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
  trail: () => ["/trail", "Open the trail"],
  directory: () => ["/organisation/directory", "Open directory"],
};

/** Where a decision about a device is made. */
function onDevice(d: Decision): [to: string, words: string] {
  if (d.kind === "contested") return [`/ladder?device=${d.device}`, "Decide on the ladder"];
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

/** What waits for an operator. */
export function Decisions({ fleet, mayDecide }: { fleet: Overview; mayDecide: boolean }) {
  const changes = useQuery(read.openChanges());
  const waiting = (changes.data?.items ?? []).filter((c) => c.state === "waiting");
  const brakes = useQuery(read.brakes());
  const held = brakes.data?.items ?? [];
  const decisions = fleet.decisions.filter((d) => !ofTheService.has(d.kind) && !shownApart.has(d.kind));
  const count = decisions.length + waiting.length + held.length;
  return (
    <Aside title={count ? `Needs a decision: ${count}` : "Needs a decision"}>
      {count === 0 && <p className="text-second">No decisions needed.</p>}
      <ul className="space-y-3">
        {held.map((h) => (
          <Braked key={h.id} held={h} mayDecide={mayDecide} />
        ))}
        {waiting.map((c) => (
          <li key={c.name} className="border-l-4 border-waiting bg-waiting-wash px-3 py-2">
            <p className="font-semibold">{c.title || c.name}</p>
            <p>
              {c.asked_by} asked for it to go out; a second person must approve it: {c.needs.join("; ")}.
            </p>
            <p className="mt-1">
              <Link to={`/changes/${c.name}`} className="font-semibold text-brass">
                Look at the change
              </Link>
            </p>
          </li>
        ))}
        {decisions.map((d) => (
          <li
            key={`${d.unit} ${d.device_id} ${d.detail}`}
            className={`border-l-4 px-3 py-2 ${d.kind === "reverted" ? "border-brass bg-sheet" : "border-held bg-held-wash"}`}
          >
            <p className="font-semibold">
              <span aria-hidden className={d.kind === "reverted" ? "text-brass" : "text-held"}>
                {d.kind === "reverted" ? "⇄" : "▮▮"}
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
