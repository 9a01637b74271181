import { useMemo } from "react";
import type { LadderCell, Way } from "@/api/types";
import { useStable } from "@/domain/stable";
import { Clamped } from "@/ui/clamped";
import { type Move, rankAt, rankOneStep } from "./moves";
import { looks, RungRow } from "./rung-row";

type RungsProps = { way: Way; differ: boolean; mayMove: boolean; onMove: (move: Move) => void };

const firstColumn = 256; // pixels
const column = 224;

/** Assignments stacked by rank, settings as columns, and what each setting comes to below. */
export function Rungs({ way, differ, mayMove, onMove }: RungsProps) {
  const units = useMemo(() => way.units.filter((u) => !differ || u.differs), [way.units, differ]);
  const drop = useStable((assignment: string, before: string | undefined) => {
    if (assignment && assignment !== before) onMove({ assignment, rank: rankAt(way.rungs, assignment, before) });
  });
  const onStep = useStable((assignment: string, up: boolean) =>
    onMove({ assignment, rank: rankOneStep(way.rungs, assignment, up) }),
  );
  const onRank = useStable((assignment: string, rank: number) => onMove({ assignment, rank }));
  if (units.length === 0) {
    return <p className="py-4 text-second">{differ ? "No setting differs." : "No assignment applies."}</p>;
  }
  return (
    <>
      <section
        aria-label="Ladder"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard
        tabIndex={0}
        className="relative max-h-[calc(100vh-300px)] overflow-auto border border-hairline bg-sheet"
      >
        <table
          className="table-fixed border-separate border-spacing-0 text-left"
          style={{ width: firstColumn + column * units.length }} // fixed, so that thousands of cells are not measured
        >
          <colgroup>
            <col style={{ width: firstColumn }} />
            {units.map((u) => (
              <col key={u.unit} style={{ width: column }} />
            ))}
          </colgroup>
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
              <RungRow
                key={rung.assignment}
                rung={rung}
                units={units}
                mayMove={mayMove}
                onRank={onRank}
                onStep={onStep}
                onDrop={drop}
              />
            ))}
          </tbody>
          <tfoot>
            <tr>
              <th
                scope="row"
                className="sticky bottom-0 left-0 z-20 border-t-2 border-r-2 border-ink border-l-4 border-l-brass bg-green-wash px-3 py-2 align-top"
                onDragOver={(event) => event.preventDefault()}
                onDrop={(event) => {
                  event.preventDefault();
                  drop(event.dataTransfer.getData("text/plain"), undefined);
                }}
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
                        <span className="block font-semibold text-held">▮▮ held</span>
                        <span className="text-xs">
                          <Clamped text={settled.held} />
                        </span>
                      </>
                    ) : (
                      <Clamped text={settled?.words ?? "nothing"} />
                    )}
                  </td>
                );
              })}
            </tr>
          </tfoot>
        </table>
      </section>
      <Legend mayMove={mayMove} />
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
