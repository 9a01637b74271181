import type { EffectSum, Preview, WayIn } from "@/api/types";
import { devices } from "@/domain/count";
import { Words } from "@/domain/words";

/** How the sections of effects are drawn. */
export const sectionLooks: Record<string, { sign: string; colour: string }> = {
  "Loses access": { sign: "✕", colour: "text-red" },
  "Becomes held": { sign: "▮▮", colour: "text-held" },
  "Gains access": { sign: "+", colour: "text-waiting" },
  "Weaker rules": { sign: "↓", colour: "text-red" },
  "Stricter rules": { sign: "↑", colour: "text-green" },
  "Other rules": { sign: "△", colour: "text-second" },
  Accounts: { sign: "◇", colour: "text-second" },
  "Password rotation": { sign: "↻", colour: "text-second" },
  "No longer held": { sign: "○", colour: "text-green" },
};

/** One way in that a change gives, takes or moves, and where. */
export function Way({ of }: { of: WayIn }) {
  const there = of.devices > 0 || !of.anyone ? devices(of.devices) : "";
  const anyone = of.anyone ? `${there && ", and "}whichever device comes` : "";
  return (
    <>
      <span aria-hidden="true">
        {of.effect === "administrator_lost" || of.effect === "way_in_closed" ? "− " : "+ "}
      </span>
      <Words>{of.words}</Words>: {there}
      {anyone}
    </>
  );
}

/** What a change would do, by effect: who loses access first, then what becomes held, then the rest. */
export function PreviewSums({ preview }: { preview: Preview }) {
  const more = Math.max(0, preview.groups.length - 8) + preview.more_groups;
  return (
    <div>
      <p className="text-second">
        {preview.devices === 0
          ? `No device is affected, of ${preview.fleet}.`
          : `${preview.devices} of ${devices(preview.fleet)} affected.`}
        {preview.not_reported > 0 &&
          ` ${devices(preview.not_reported)} never reported, so the effects there are unknown.`}
      </p>
      {preview.part && (
        <p className="mt-2 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
          This is a part of what it does: it reaches devices beyond your role, so you can neither apply nor approve it.
        </p>
      )}
      <EffectSums sums={preview.sums} />
      {preview.ways.some((w) => w.anyone) && (
        <section className="mt-3">
          <h3 className="text-xs font-semibold text-waiting">On whichever device comes</h3>
          <ul>
            {preview.ways
              .filter((w) => w.anyone)
              .map((w) => (
                <li key={`${w.effect} ${w.words}`} className="border-b border-hairline px-1 py-1">
                  <Words>{w.words}</Words>
                </li>
              ))}
          </ul>
        </section>
      )}
      {preview.devices > 1 && preview.groups.length > 0 && (
        <section className="mt-3">
          <h3 className="text-xs font-semibold text-second">By group</h3>
          <p>
            {preview.groups.slice(0, 8).map((g, at) => (
              <span key={g.group}>
                {at > 0 && ", "}
                {g.group} <b>{g.devices}</b>
              </span>
            ))}
            {more > 0 && ` and ${more} more`}
          </p>
        </section>
      )}
    </div>
  );
}

/** Effects, counted, by section. */
export function EffectSums({ sums }: { sums: EffectSum[] }) {
  const sections = [...new Set(sums.map((s) => s.section))];
  return sections.map((section) => (
    <section key={section} className="mt-3">
      <h3 className={`text-xs font-semibold ${sectionLooks[section]?.colour ?? "text-second"}`}>{section}</h3>
      <ul>
        {sums
          .filter((s) => s.section === section)
          .map((s) => (
            <Sum key={`${s.effect} ${s.unit} ${s.subject}`} sum={s} />
          ))}
      </ul>
    </section>
  ));
}

function Sum({ sum }: { sum: EffectSum }) {
  const look = sectionLooks[sum.section];
  return (
    <li
      className={`grid grid-cols-[20px_1fr_auto] gap-2 border-b border-hairline px-1 py-1 ${sum.takes_away ? "bg-red-wash" : ""}`}
    >
      <span aria-hidden="true" className={look?.colour}>
        {look?.sign}
      </span>
      <span className="min-w-0 break-words">
        <Words>{sum.words}</Words>
        <span className="block font-mono text-xs text-second">
          {sum.first.join(", ")}
          {sum.devices > sum.first.length && ` and ${sum.devices - sum.first.length} more`}
        </span>
      </span>
      <span className="text-right font-semibold">
        {sum.devices}
        <span className="sr-only"> {sum.devices === 1 ? "device" : "devices"}</span>
      </span>
    </li>
  );
}
