import type { EffectSum, Preview } from "@/api/types";
import { sectionLooks } from "@/changes/sums";
import { Words } from "@/domain/words";

/** Headings of a change's page, and the sections of effects that stand under each; what is new comes last. */
const headings: { title: string; sections: string[] }[] = [
  { title: "Who gets in, who does not", sections: ["Loses access", "Gains access"] },
  { title: "Weaker", sections: ["Weaker rules"] },
  { title: "Stricter", sections: ["Stricter rules"] },
  { title: "Held", sections: ["Becomes held", "No longer held"] },
];

/** The effects under their headings, in the order of the service; a section without a heading has its own name. */
export function underHeadings(sums: EffectSum[]): { title: string; sums: EffectSum[] }[] {
  const known = new Set(headings.flatMap((h) => h.sections));
  const others = [...new Set(sums.map((s) => s.section))].filter((section) => !known.has(section));
  return [...headings, ...others.map((section) => ({ title: section, sections: [section] }))]
    .map(({ title, sections }) => ({ title, sums: sums.filter((s) => sections.includes(s.section)) }))
    .filter((h) => h.sums.length > 0);
}

/** What a change does, as the page of it shows it: who gets in first, then what becomes weaker, then the rest. */
export function Effects({ preview }: { preview: Preview }) {
  const anyone = preview.ways.filter((w) => w.anyone);
  return (
    <>
      {preview.devices === 0 && <p className="py-4 text-second">No device is affected, of {preview.fleet}.</p>}
      {preview.not_reported > 0 && (
        <p className="mb-3 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
          {preview.not_reported} of them never reported, so the effects there are unknown.
        </p>
      )}
      {preview.part && (
        <p className="mb-3 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
          This is a part of what it does: it reaches devices beyond your role, so you can neither apply nor approve it.
        </p>
      )}
      {underHeadings(preview.sums).map((h) => (
        <section key={h.title} className="mb-5 border-t-2 border-ink pt-2">
          <h2 className="mb-1 font-bold">{h.title}</h2>
          <ul>
            {h.sums.map((s) => (
              <Row key={`${s.effect} ${s.unit} ${s.subject}`} sum={s} />
            ))}
          </ul>
        </section>
      ))}
      {anyone.length > 0 && (
        <section className="mb-5 border-t-2 border-ink pt-2">
          <h2 className="mb-1 font-bold">On whichever device comes</h2>
          <ul>
            {anyone.map((w) => (
              <li key={`${w.effect} ${w.words}`} className="border-b border-hairline py-1.5 pl-8">
                <Words>{w.words}</Words>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

function Row({ sum }: { sum: EffectSum }) {
  const look = sectionLooks[sum.section];
  const more = sum.devices - Math.min(2, sum.first.length);
  return (
    <li
      className={`grid grid-cols-[24px_minmax(0,1fr)_minmax(0,300px)_56px] items-baseline gap-2 border-b border-hairline py-1.5 max-[900px]:grid-cols-[24px_minmax(0,1fr)_56px] ${sum.takes_away ? "bg-red-wash" : ""}`}
    >
      <span aria-hidden="true" className={`pl-1 ${look?.colour ?? "text-second"}`}>
        {look?.sign ?? "·"}
      </span>
      <span className="min-w-0 break-words">
        <Words>{sum.words}</Words>
      </span>
      <span className="font-mono text-sm text-second max-[900px]:order-last max-[900px]:col-span-3 max-[900px]:pl-8">
        {sum.first.slice(0, 2).join(", ")}
        {more > 0 && ` and ${more} more`}
      </span>
      <span className="text-right font-semibold">
        {sum.devices}
        <span className="sr-only"> {sum.devices === 1 ? "device" : "devices"}</span>
      </span>
    </li>
  );
}
