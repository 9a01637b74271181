import { type KeyboardEvent, memo, useState } from "react";
import type { LadderCell, Rung, Way } from "@/api/types";
import { Breakable } from "@/ui/breakable";
import { Clamped } from "@/ui/clamped";

export const looks: Record<LadderCell["state"], string> = {
  decides: "bg-ink text-paper border-ink",
  agrees: "border-ink",
  loses: "border-transparent text-second line-through",
  contested: "border-dashed border-2 border-red text-red font-semibold",
  trial: "border-dotted border-held text-held",
};

type RowProps = {
  rung: Rung;
  units: Way["units"];
  mayMove: boolean;
  onRank: (assignment: string, rank: number) => void;
  onStep: (assignment: string, up: boolean) => void;
  onDrop: (assignment: string, before: string) => void;
};

/** One rung. It is drawn again only when it differs: a ladder may have thousands of cells. */
export const RungRow = memo(function RungRow({ rung, units, mayMove, onRank, onStep, onDrop }: RowProps) {
  const [over, setOver] = useState(false); // another rung is held over this one
  const cells = new Map(rung.cells.map((c) => [c.unit, c]));
  const keys = (event: KeyboardEvent) => {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    onStep(rung.assignment, event.key === "ArrowUp");
  };
  return (
    <tr
      draggable={mayMove}
      onDragStart={(event) => event.dataTransfer.setData("text/plain", rung.assignment)}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        onDrop(event.dataTransfer.getData("text/plain"), rung.assignment);
      }}
      className={over ? "bg-brass/15" : ""}
    >
      <th
        scope="row"
        className="sticky left-0 z-10 w-64 border-r-2 border-b border-r-ink border-b-hairline border-l-4 border-l-brass bg-sheet px-3 py-2 align-top font-normal"
      >
        <span className="flex items-baseline gap-3">
          <Rank rung={rung} mayMove={mayMove} onRank={onRank} keys={keys} />
          <span className="w-40">
            <span className="block font-semibold break-words">{rung.assignment}</span>
            <span className="block text-xs text-second">policy {rung.policy}</span>
            {rung.stance === "trial" && <span className="block text-xs text-held">on trial</span>}
            {rung.undecided && (
              <span className="block text-xs text-held">unknown whether it applies: a fact is not reported</span>
            )}
          </span>
        </span>
      </th>
      {units.map((u) => (
        <td key={u.unit} className="max-w-56 border-b border-hairline px-3 py-2 align-top">
          <Cell cell={cells.get(u.unit)} />
        </td>
      ))}
    </tr>
  );
});

function Rank(props: {
  rung: Rung;
  mayMove: boolean;
  onRank: RowProps["onRank"];
  keys: (event: KeyboardEvent) => void;
}) {
  const { rung } = props;
  const [typed, setTyped] = useState<string | null>(null);
  if (!props.mayMove) return <span className="w-12 shrink-0 font-mono text-lg font-bold">{rung.rank}</span>;
  const put = () => {
    const rank = Number(typed);
    if (typed !== null && Number.isInteger(rank) && rank >= 1 && rank <= 9999 && rank !== rung.rank) {
      props.onRank(rung.assignment, rank);
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
      <span className={`inline-block max-w-full rounded-sm border px-2 py-0.5 ${looks[cell.state]}`}>
        {cell.state === "contested" ? <Breakable text={cell.words} /> : <Clamped text={cell.words} />}
      </span>
      <span className="sr-only">, {cell.state}</span>
      {cell.why && <span className="block text-xs text-second">{cell.why}</span>}
    </>
  );
}
