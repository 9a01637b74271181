import { Link } from "react-router";
import type { Standing, Standings } from "@/api/types";

type Look = { glyph: string; word: string; text: string; fill: string; wash: string };

/** Each standing has its own glyph and word as well as its colour. */
export const looks: Record<Standing, Look> = {
  in_step: { glyph: "●", word: "in step", text: "text-green", fill: "bg-green", wash: "bg-green-wash" },
  drifted: { glyph: "◆", word: "drifted", text: "text-red", fill: "bg-red", wash: "bg-red-wash" },
  waiting: { glyph: "◔", word: "waiting", text: "text-waiting", fill: "bg-waiting", wash: "bg-waiting-wash" },
  held: { glyph: "▮▮", word: "held", text: "text-held", fill: "bg-held", wash: "bg-held-wash" },
  silent: { glyph: "○", word: "silent", text: "text-silent", fill: "bg-silent", wash: "bg-silent-wash" },
};

/** The colours of standings in plots. */
export const fills: Record<Standing, string> = {
  in_step: "var(--green)",
  drifted: "var(--red)",
  waiting: "var(--waiting)",
  held: "var(--held)",
  silent: "var(--silent)",
};

export const order: Standing[] = ["in_step", "drifted", "waiting", "held", "silent"];

/** What a standing means, for who sees it for the first time. */
export const meaning: Record<Standing, string> = {
  in_step: "matches its desired state",
  drifted: "has open findings",
  waiting: "has not reported on its latest desired state yet",
  held: "has settings that need a decision",
  silent: "no contact for three check-in intervals",
};

export function StandingBadge({ standing, detail }: { standing: Standing; detail?: string }) {
  const look = looks[standing];
  return (
    <span
      className={`${look.text} ${look.wash} inline-flex items-center gap-1.5 rounded-sm px-2 py-0.5 font-semibold whitespace-nowrap`}
    >
      <span aria-hidden>{look.glyph}</span>
      {look.word}
      {detail && `, ${detail}`}
    </span>
  );
}

export function StandingWord({ standing }: { standing: Standing }) {
  const look = looks[standing];
  return (
    <span className={`${look.text} inline-flex items-center gap-1.5 font-semibold whitespace-nowrap`}>
      <span aria-hidden className="inline-block w-4 text-center">
        {look.glyph}
      </span>
      {look.word}
    </span>
  );
}

export const total = (s: Standings) => order.reduce((sum, standing) => sum + s[standing], 0);

/** A proportional bar of standings. */
export function StandingBar({ standings, thin }: { standings: Standings; thin?: boolean }) {
  const all = total(standings);
  const words = order
    .filter((s) => standings[s])
    .map((s) => `${standings[s]} ${looks[s].word}`)
    .join(", ");
  return (
    <div
      role="img"
      aria-label={words || "no device"}
      className={`flex w-full gap-0.5 overflow-hidden rounded-sm ${thin ? "h-2" : "h-7"} ${all ? "" : "bg-silent-wash"}`}
    >
      {order
        .filter((s) => standings[s] > 0)
        .map((s) => (
          <div
            key={s}
            title={`${standings[s]} ${looks[s].word}`}
            className={`${looks[s].fill} min-w-1.5 transition-[flex-grow] duration-500`}
            style={{ flexGrow: standings[s], flexBasis: 0 }}
          />
        ))}
    </div>
  );
}

/** The counts under a bar, each a way to its devices. */
export function StandingCounts({ standings, to }: { standings: Standings; to: (s: Standing) => string }) {
  return (
    <ul className="grid grid-cols-5 max-[900px]:grid-cols-2 gap-4">
      {order.map((s) => (
        <li key={s}>
          <Link to={to(s)} className="block rounded-sm py-1">
            <span className={`${looks[s].text} flex items-baseline gap-2`}>
              <span aria-hidden>{looks[s].glyph}</span>
              <span className="text-xl font-bold">{standings[s]}</span>
              <span className="font-semibold">{looks[s].word}</span>
            </span>
            <span className="block text-xs text-second">{meaning[s]}</span>
          </Link>
        </li>
      ))}
    </ul>
  );
}
