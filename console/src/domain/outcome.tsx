import type { RolloutDevice, RolloutSummary, RolloutTally } from "@/api/types";
import type { MarkLook } from "@/ui/mark-field";

export type Outcome = RolloutDevice["outcome"];
type Look = { glyph: string; word: string; text: string; fill: string };

/** Each outcome has its own glyph and word as well as its colour. */
export const outcomes: Record<Outcome, Look> = {
  verified: { glyph: "●", word: "verified", text: "text-green", fill: "bg-green" },
  lost: { glyph: "◇", word: "lost: silent since told", text: "text-red", fill: "bg-red" },
  failed: { glyph: "◆", word: "failed", text: "text-red", fill: "bg-red" },
  guard_refused: { glyph: "■", word: "refused by the guard", text: "text-red", fill: "bg-red" },
  held: { glyph: "▮▮", word: "held", text: "text-held", fill: "bg-held" },
  working: { glyph: "◔", word: "working", text: "text-waiting", fill: "bg-waiting" },
  told: { glyph: "○", word: "not heard from", text: "text-silent", fill: "bg-silent" },
  late: { glyph: "◌", word: "waits to join", text: "text-brass", fill: "bg-brass" },
  not_open: { glyph: "·", word: "not open", text: "text-second", fill: "bg-hairline" },
};

export const outcomeOrder = Object.keys(outcomes) as Outcome[];

/** How a letter of a lane's field is drawn. */
export const fieldLooks: Record<string, MarkLook & { outcome: Outcome }> = {
  v: { outcome: "verified", word: outcomes.verified.word, colour: "--green", shape: "dot" },
  f: { outcome: "failed", word: outcomes.failed.word, colour: "--red", shape: "diamond" },
  g: { outcome: "guard_refused", word: outcomes.guard_refused.word, colour: "--red", shape: "diamond" },
  x: { outcome: "lost", word: outcomes.lost.word, colour: "--red", shape: "diamond" },
  l: { outcome: "late", word: outcomes.late.word, colour: "--brass", shape: "ring" },
  h: { outcome: "held", word: outcomes.held.word, colour: "--held", shape: "bars" },
  w: { outcome: "working", word: outcomes.working.word, colour: "--waiting", shape: "ring" },
  t: { outcome: "told", word: outcomes.told.word, colour: "--silent", shape: "ring" },
  n: { outcome: "not_open", word: outcomes.not_open.word, colour: "--ink-second", shape: "speck" },
};

export const rolloutStates: Record<RolloutSummary["state"], { glyph: string; word: string; text: string }> = {
  running: { glyph: "▸", word: "under way", text: "text-waiting" },
  paused: { glyph: "▮▮", word: "paused", text: "text-held" },
  stopped: { glyph: "■", word: "stopped", text: "text-red" },
  done: { glyph: "●", word: "done", text: "text-green" },
  reverted: { glyph: "↩", word: "reverted", text: "text-second" },
};

export function RolloutState({ state }: { state: RolloutSummary["state"] }) {
  const look = rolloutStates[state];
  return (
    <span className={`${look.text} font-semibold whitespace-nowrap`}>
      <span aria-hidden>{look.glyph}</span> {look.word}
    </span>
  );
}

export const devicesOf = (t: RolloutTally) => outcomeOrder.reduce((sum, o) => sum + t[o], 0);

/** How many devices have which outcome, in words. */
export const tallyWords = (t: RolloutTally) =>
  outcomeOrder
    .filter((o) => t[o] > 0)
    .map((o) => `${t[o]} ${outcomes[o].word}`)
    .join(", ");

/** A proportional bar of outcomes. */
export function OutcomeBar({ tally }: { tally: RolloutTally }) {
  return (
    <div
      role="img"
      aria-label={tallyWords(tally) || "no device"}
      className="flex h-2 w-full gap-0.5 overflow-hidden rounded-sm"
    >
      {outcomeOrder
        .filter((o) => tally[o] > 0)
        .map((o) => (
          <div key={o} className={`${outcomes[o].fill} min-w-1`} style={{ flexGrow: tally[o], flexBasis: 0 }} />
        ))}
    </div>
  );
}
