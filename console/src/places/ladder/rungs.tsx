import { type DragEvent, type KeyboardEvent, useState } from "react";
import type { LadderCell, Rung, Way } from "@/api/types";
import { Button } from "@/ui/button";
import { type Move, rankAt, rankOneStep } from "./moves";

type RungsProps = { way: Way; differ: boolean; mayMove: boolean; onMove: (move: Move) => void };

const looks: Record<LadderCell["state"], string> = {
  decides: "bg-ink text-paper border-ink",
  agrees: "border-ink",
  loses: "border-transparent text-second line-through",
  contested: "border-dashed border-2 border-red text-red font-semibold",
  trial: "border-dotted border-held text-held",
};

/** Assignments stacked by rank, settings as columns, and what each setting comes to below. */
export function Rungs({ way, differ, mayMove, onMove }: RungsProps) {
  const [over, setOver] = useState<string | null>(null); // the rung before which one is held
  const units = way.units.filter((u) => !differ || u.differs);
  const drop = (event: DragEvent, before: string | undefined) => {
    event.preventDefault();
    setOver(null);
    const assignment = event.dataTransfer.getData("text/plain");
    if (assignment && assignment !== before) onMove({ assignment, rank: rankAt(way.rungs, assignment, before) });
  };
  const keys = (event: KeyboardEvent, rung: Rung) => {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    onMove({ assignment: rung.assignment, rank: rankOneStep(way.rungs, rung.assignment, event.key === "ArrowUp") });
  };
  if (units.length === 0) {
    return <p className="py-4 text-second">{differ ? "No setting differs." : "No assignment applies."}</p>;
  }
  return (
    <>
      <section
        aria-label="Ladder"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard
        tabIndex={0}
        className="max-h-[calc(100vh-300px)] overflow-auto border border-hairline bg-sheet"
      >
        <table className="border-separate border-spacing-0 text-left">
          <thead>
            <tr className="text-xs text-second">
              <th
                scope="col"
                className="sticky top-0 left-0 z-20 w-64 border-r-2 border-b border-ink bg-sheet px-3 py-2"
              >
                Rank and assignment
              </th>
              {units.map((u) => (
                <th
                  key={u.unit}
                  scope="col"
                  className="sticky top-0 z-10 min-w-36 border-b border-hairline bg-sheet px-3 py-2 align-bottom font-semibold"
                >
                  {u.title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {way.rungs.map((rung) => (
              <tr
                key={rung.assignment}
                draggable={mayMove}
                onDragStart={(event) => event.dataTransfer.setData("text/plain", rung.assignment)}
                onDragOver={(event) => {
                  event.preventDefault();
                  setOver(rung.assignment);
                }}
                onDragLeave={() => setOver(null)}
                onDrop={(event) => drop(event, rung.assignment)}
                className={over === rung.assignment ? "bg-brass/15" : ""}
              >
                <th
                  scope="row"
                  className="sticky left-0 z-10 w-64 border-r-2 border-b border-r-ink border-b-hairline border-l-4 border-l-brass bg-sheet px-3 py-2 align-top font-normal"
                >
                  <span className="flex items-baseline gap-3">
                    <Rank rung={rung} mayMove={mayMove} onMove={onMove} keys={(event) => keys(event, rung)} />
                    <span className="w-40">
                      <span className="block font-semibold break-words">{rung.assignment}</span>
                      <span className="block text-xs text-second">policy {rung.policy}</span>
                      {rung.stance === "trial" && <span className="block text-xs text-held">on trial</span>}
                      {rung.undecided && (
                        <span className="block text-xs text-held">
                          unknown whether it applies: a fact is not reported
                        </span>
                      )}
                    </span>
                  </span>
                </th>
                {units.map((u) => (
                  <td key={u.unit} className="max-w-56 border-b border-hairline px-3 py-2 align-top">
                    <Cell cell={rung.cells.find((c) => c.unit === u.unit)} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
          <tfoot>
            <tr>
              <th
                scope="row"
                className="sticky bottom-0 left-0 z-20 border-t-2 border-r-2 border-ink border-l-4 border-l-brass bg-green-wash px-3 py-2 align-top"
                onDragOver={(event) => event.preventDefault()}
                onDrop={(event) => drop(event, undefined)}
              >
                Settled
                <span className="block text-xs font-normal text-second">
                  what {way.devices === 1 ? way.first[0] : `${way.devices} devices`} {way.devices === 1 ? "is" : "are"}{" "}
                  told
                </span>
              </th>
              {units.map((u) => {
                const settled = way.settled.find((s) => s.unit === u.unit);
                return (
                  <td
                    key={u.unit}
                    title={settled?.why}
                    className={`sticky bottom-0 z-10 max-w-56 border-t-2 border-ink px-3 py-2 align-top break-words ${settled?.held ? "bg-held-wash" : "bg-green-wash"}`}
                  >
                    {settled?.held ? (
                      <>
                        <span className="font-semibold text-held">▮▮ held</span>
                        <span title={settled.held} className="line-clamp-2 text-xs">
                          {settled.held}
                        </span>
                      </>
                    ) : (
                      <span title={settled?.words} className="line-clamp-3">
                        {settled?.words ?? "nothing"}
                      </span>
                    )}
                  </td>
                );
              })}
            </tr>
          </tfoot>
        </table>
      </section>
      <Legend mayMove={mayMove} />
      <Contests way={way} mayMove={mayMove} onMove={onMove} />
    </>
  );
}

function Rank(props: {
  rung: Rung;
  mayMove: boolean;
  onMove: (move: Move) => void;
  keys: (event: KeyboardEvent) => void;
}) {
  const { rung } = props;
  const [typed, setTyped] = useState<string | null>(null);
  if (!props.mayMove) return <span className="w-12 shrink-0 font-mono text-lg font-bold">{rung.rank}</span>;
  const put = () => {
    const rank = Number(typed);
    if (typed !== null && Number.isInteger(rank) && rank >= 1 && rank <= 9999 && rank !== rung.rank) {
      props.onMove({ assignment: rung.assignment, rank });
    }
    setTyped(null);
  };
  return (
    <input
      aria-label={`Rank of ${rung.assignment}`}
      aria-keyshortcuts="Alt+ArrowUp Alt+ArrowDown"
      inputMode="numeric"
      value={typed ?? String(rung.rank)}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={put}
      onKeyDown={(event) => {
        if (event.key === "Enter") put();
        else if (event.key === "Escape") setTyped(null);
        else props.keys(event);
      }}
      className="w-14 shrink-0 rounded-sm border border-transparent bg-transparent font-mono text-lg font-bold hover:border-second focus:border-second"
    />
  );
}

function Cell({ cell }: { cell: LadderCell | undefined }) {
  if (!cell) return null;
  return (
    <>
      <span title={cell.words} className={`inline-block rounded-sm border px-2 py-0.5 ${looks[cell.state]}`}>
        <span className="line-clamp-2 break-words">{cell.words}</span>
      </span>
      <span className="sr-only">, {cell.state}</span>
      {cell.why && <span className="block text-xs text-second">{cell.why}</span>}
    </>
  );
}

const legend: { state: LadderCell["state"]; word: string; means: string }[] = [
  { state: "decides", word: "decides", means: "its value is in force" },
  { state: "agrees", word: "agrees", means: "weaker, and asks for the same" },
  { state: "loses", word: "loses", means: "outranked, less strict or ignored" },
  { state: "contested", word: "contested", means: "equal rank, and nothing decides" },
  { state: "trial", word: "trial", means: "changes nothing" },
];

function Legend({ mayMove }: { mayMove: boolean }) {
  return (
    <p className="mt-3 flex flex-wrap items-center gap-x-5 gap-y-2 text-second">
      {legend.map((l) => (
        <span key={l.state}>
          <span className={`mr-1.5 inline-block rounded-sm border px-2 ${looks[l.state]}`}>{l.word}</span>
          {l.means}
        </span>
      ))}
      {mayMove && <span>Drag a rung, type a rank, or press Alt with an arrow key on a rank.</span>}
    </p>
  );
}

/** For each contested setting: who should win. */
function Contests({ way, mayMove, onMove }: { way: Way; mayMove: boolean; onMove: (move: Move) => void }) {
  const contested = way.units.filter((u) =>
    way.rungs.some((r) => r.cells.some((c) => c.unit === u.unit && c.state === "contested")),
  );
  return contested.map((u) => {
    const rivals = way.rungs.filter((r) => r.cells.some((c) => c.unit === u.unit && c.state === "contested"));
    return (
      <div key={u.unit} className="mt-4 flex flex-wrap items-center gap-3 border-l-4 border-red bg-red-wash px-4 py-2">
        <span>
          <b>{u.title} is contested.</b> {rivals.map((r) => r.assignment).join(" and ")} differ at rank{" "}
          {rivals[0]?.rank}.
          {mayMove && ` Who should win on ${way.devices === 1 ? "this device" : `these ${way.devices} devices`}?`}
        </span>
        {mayMove &&
          rivals.map((r) => (
            <Button
              key={r.assignment}
              onClick={() => onMove({ assignment: r.assignment, rank: rankOneStep(way.rungs, r.assignment, true) })}
            >
              {r.assignment}
            </Button>
          ))}
      </div>
    );
  });
}
