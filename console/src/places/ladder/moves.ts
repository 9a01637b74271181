import type { Assignment, ChangeEdit, EditState, Rung } from "@/api/types";

/** A rung that gets another rank. */
export type Move = { assignment: string; rank: number };

const strongest = 1;
const weakest = 9999;

/** Moves with one more; the last move of a rung counts, and one back to where it was is none. */
export function withMove(moves: Move[], next: Move, from: number): Move[] {
  const others = moves.filter((m) => m.assignment !== next.assignment);
  return next.rank === from ? others : [...others, next];
}

/** How many moves, in words. */
export const moved = (moves: Move[]) => (moves.length === 1 ? "1 move" : `${moves.length} moves`);

/** The rank that puts a rung between two others, undefined when there is none between them. */
function between(above: number | undefined, below: number | undefined): number | undefined {
  const low = above === undefined ? strongest : above + 1;
  const high = below === undefined ? weakest : below - 1;
  if (low > high) return undefined;
  if (above === undefined) return Math.max(strongest, high - 9);
  if (below === undefined) return Math.min(weakest, low + 9);
  return Math.floor((low + high) / 2);
}

/**
 * The rank of a rung when it is put before another one, or at the end: between its new neighbours, and where there is no
 * number between them, that of the stronger neighbour less one.
 */
export function rankAt(rungs: Rung[], assignment: string, before: string | undefined): number {
  const others = rungs.filter((r) => r.assignment !== assignment);
  const at = before === undefined ? others.length : others.findIndex((r) => r.assignment === before);
  const above = others[at - 1]?.rank;
  const below = others[at]?.rank;
  return between(above, below) ?? Math.max(strongest, (below ?? weakest) - 1);
}

/** The rank of a rung one step up or down: past its nearest neighbour of another rank. */
export function rankOneStep(rungs: Rung[], assignment: string, up: boolean): number {
  const own = rungs.find((r) => r.assignment === assignment);
  if (!own) return weakest;
  const ranks = [...new Set(rungs.filter((r) => r.assignment !== assignment).map((r) => r.rank))].sort((a, b) => a - b);
  const equal = ranks.includes(own.rank);
  if (up) {
    if (equal) return between(ranks.filter((r) => r < own.rank).at(-1), own.rank) ?? Math.max(strongest, own.rank - 1);
    const next = ranks.filter((r) => r < own.rank).at(-1);
    if (next === undefined) return own.rank;
    return between(ranks.filter((r) => r < next).at(-1), next) ?? Math.max(strongest, next - 1);
  }
  if (equal)
    return (
      between(
        own.rank,
        ranks.find((r) => r > own.rank),
      ) ?? Math.min(weakest, own.rank + 1)
    );
  const next = ranks.find((r) => r > own.rank);
  if (next === undefined) return own.rank;
  return (
    between(
      next,
      ranks.find((r) => r > next),
    ) ?? Math.min(weakest, next + 1)
  );
}

/** The edits that moves are: of each assignment as the draft has it, else as it is now, with another rank. */
export function editsOf(moves: Move[], assignments: Assignment[], drafted: EditState[]): ChangeEdit[] {
  const edits: ChangeEdit[] = [];
  for (const { assignment, rank } of moves) {
    const draft = drafted.find((e) => e.type === "assignment" && e.name === assignment);
    const now = assignments.find((a) => a.name === assignment);
    const aim = draft?.assignment ?? now;
    if (!aim) continue;
    const { policy, include, exclude, within, stance } = aim;
    edits.push({
      kind: "assign",
      name: assignment,
      based_on: draft?.based_on ?? now?.version ?? 0,
      assignment: {
        policy,
        include,
        rank,
        ...(exclude && { exclude }),
        ...(within && { within }),
        stance: stance === "trial" ? "trial" : "enforce",
      },
    });
  }
  return edits;
}
