import { useQueries, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { read } from "@/api/queries";
import type { Assignment, EditState, LadderCell, Preview, Rung, Way } from "@/api/types";
import { withEdits } from "@/changes/drafted";
import { Breakable } from "@/ui/breakable";
import { Button, TextButton } from "@/ui/button";
import { contestRows, type Says } from "./contest";
import { editsOf, type Move, rankOneStep } from "./moves";

type ContestsProps = {
  way: Way;
  mayMove: boolean;
  assignments: Assignment[];
  drafted: EditState[];
  onMove: (move: Move) => void;
};

const contested = (c: LadderCell, unit: string) => c.unit === unit && c.state === "contested";

/** For each contested setting: what its contenders say, side by side, and who should win. */
export function Contests(props: ContestsProps) {
  const { way } = props;
  return way.units
    .filter((u) => way.rungs.some((r) => r.cells.some((c) => contested(c, u.unit))))
    .map((u) => (
      <Contest
        key={u.unit}
        {...props}
        unit={u.unit}
        title={u.title}
        rivals={way.rungs.filter((r) => r.cells.some((c) => contested(c, u.unit)))}
      />
    ));
}

const says: Record<Says, { glyph: string; words: string; colour: string }> = {
  in: { glyph: "✓", words: "member", colour: "text-green" },
  out: { glyph: "✗", words: "no member", colour: "text-red" },
  silent: { glyph: "–", words: "says nothing of it", colour: "text-second" },
};

/** Devices of which what a choice would do is worked out unasked. */
const few = 2000;

type ContestProps = ContestsProps & { unit: string; title: string; rivals: Rung[] };

function Contest({ way, unit, title, rivals, mayMove, assignments, drafted, onMove }: ContestProps) {
  const first = way.first[0] ?? "";
  const device = useQuery({ ...read.device(first), enabled: first !== "" });
  const group = device.data?.local_groups.find((g) => `membership.${g.name}` === unit);
  const rows = contestRows(rivals, unit, group?.members);
  // Its column stands from the beginning, unless the device turns out to have no such group.
  const hasNow = unit.startsWith("membership.") && (group !== undefined || device.isPending);
  const moves = rivals.map((r) => ({ assignment: r.assignment, rank: rankOneStep(way.rungs, r.assignment, true) }));
  // What each would do is a preview of the fleet: of a large one, when somebody asks.
  const [asked, ask] = useState(way.devices <= few);
  const effects = useQueries({
    queries: moves.map((move) => ({
      ...read.previewOf(withEdits(drafted, editsOf([move], assignments, drafted))),
      enabled: asked,
    })),
  });
  const where = way.devices === 1 ? first : `these ${way.devices} devices`;
  return (
    <section aria-label={`Who decides ${title}`} className="mb-5">
      <h2 className="text-lg font-bold">Who decides {title}?</h2>
      <p className="mb-2 max-w-3xl">
        {rivals.map((r) => r.assignment).join(" and ")} are of rank {rivals[0]?.rank} and ask for different values, so{" "}
        {where} {way.devices === 1 ? "keeps what it had" : "keep what they had"}. What differs comes first.
      </p>
      <div className="overflow-x-auto border border-hairline bg-sheet">
        <table className="w-full min-w-[640px] table-fixed text-left">
          <thead>
            <tr className="border-b border-hairline align-bottom">
              <th scope="col" className="px-3 py-2 text-sm font-normal text-second">
                {rows[0]?.texts ? "Setting" : "Member"}
              </th>
              {rivals.map((r) => (
                <th key={r.assignment} scope="col" className="px-3 py-2 text-center">
                  {r.assignment}
                  <span className="block text-sm font-normal text-second">policy {r.policy}</span>
                </th>
              ))}
              {hasNow && (
                <th scope="col" className="px-3 py-2 text-center text-sm font-normal text-second">
                  On {first} now
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.key} className="border-b border-hairline">
                <th scope="row" className={`px-3 py-2 ${row.differs ? "font-semibold" : "font-normal text-second"}`}>
                  <Breakable text={row.texts ? title : row.words} />
                </th>
                {row.says.map((said, at) => (
                  <td key={rivals[at]?.assignment} className="px-3 py-2 text-center">
                    {row.texts ? <Breakable text={row.texts[at] ?? ""} /> : <Cell says={said} loud={row.differs} />}
                  </td>
                ))}
                {hasNow && <td className="px-3 py-2 text-center">{row.now && <Cell says={row.now} loud={false} />}</td>}
              </tr>
            ))}
            <tr className="align-top">
              <th scope="row" className="px-3 py-2">
                If it wins
              </th>
              {rivals.map((r, at) => (
                <td key={r.assignment} className="px-3 py-2 text-center">
                  {asked ? (
                    <div className="min-h-[5rem]">
                      <Effect preview={effects[at]?.data} error={effects[at]?.error ?? null} />
                    </div>
                  ) : (
                    at === 0 && <TextButton onClick={() => ask(true)}>Work out what each would do</TextButton>
                  )}
                  {mayMove && (
                    <Button className="mt-2" onClick={() => moves[at] && onMove(moves[at])}>
                      {r.assignment} decides
                    </Button>
                  )}
                </td>
              ))}
              {hasNow && <td />}
            </tr>
          </tbody>
        </table>
      </div>
      {mayMove && (
        <p className="mt-1 text-sm text-second">
          The one that you choose gets rank {moves[0]?.rank}. It is an edit of a change: nothing reaches a device before
          that goes out.
        </p>
      )}
    </section>
  );
}

function Cell({ says: said, loud }: { says: Says; loud: boolean }) {
  const look = says[said];
  return (
    <span className={loud ? `font-semibold ${look.colour}` : "text-second"}>
      <span aria-hidden="true">{look.glyph}</span>
      <span className={loud && said === "in" ? "" : "sr-only"}> {look.words}</span>
    </span>
  );
}

/** What happens on devices if a contender wins: who loses and who gains access first, then how much more. */
function Effect({ preview, error }: { preview: Preview | undefined; error: Error | null }) {
  if (error) return <span className="text-red">{error.message}</span>;
  if (!preview) return <span className="text-second">is being worked out …</span>;
  if (preview.sums.length === 0) return <span>nothing changes on a device</span>;
  const access = preview.sums.filter((s) => s.section === "Loses access" || s.section === "Gains access");
  const shown = access.slice(0, 3);
  const more = preview.sums.length - shown.length;
  return (
    <span className="block text-sm">
      {shown.map((s) => (
        <span
          key={`${s.effect} ${s.unit} ${s.subject}`}
          className={`block ${s.section === "Loses access" ? "text-red" : ""}`}
        >
          <Breakable text={s.words} /> on {s.devices}
        </span>
      ))}
      {more > 0 && (
        <span className="block text-second">
          {shown.length > 0 ? "and " : ""}
          {more === 1 ? "1 other effect" : `${more} other effects`} on {preview.devices} devices
        </span>
      )}
      {preview.needs.length > 0 && <span className="block text-second">needs a second person</span>}
    </span>
  );
}
