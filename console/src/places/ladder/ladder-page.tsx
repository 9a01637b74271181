import { keepPreviousData, replaceEqualDeep, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Way } from "@/api/types";
import { useDrafted, withEdits } from "@/changes/drafted";
import { PreviewSums } from "@/changes/sums";
import { useAddEdit } from "@/changes/use-add-edit";
import { GroupFilter } from "@/domain/group-filter";
import { Button } from "@/ui/button";
import { SearchField, useFilters } from "@/ui/filters";
import { Aside, Loading, Nothing, PageHead, Trouble } from "@/ui/page";
import { Contests } from "./contests";
import { editsOf, type Move, moved } from "./moves";
import { Rungs } from "./rungs";
import { useMoves } from "./use-moves";

/** How assignments decide settings, rung by rung, for a device, a group or the fleet; ranks are moved here. */
export function LadderPage() {
  const mayEdit = useRights()("draft");
  const [params, set] = useFilters();
  const device = params.get("device") ?? "";
  const group = device ? "" : (params.get("group") ?? "");
  const { moves, move, takeBack, assignments } = useMoves();
  const drafted = useDrafted();
  const mine = editsOf(moves, assignments, drafted);
  const edits = withEdits(drafted, mine);
  const ladder = useQuery({
    ...read.ladder({ ...(device && { device }), ...(group && { group }) }, edits),
    placeholderData: keepPreviousData,
  });
  const preview = useQuery({ ...read.previewOf(edits), placeholderData: keepPreviousData });
  const adding = useAddEdit(takeBack);
  const [chosen, setChosen] = useState(0);
  const [differ, setDiffer] = useState(false);
  const [said, setSaid] = useState("");
  const ways = ladder.data?.ways ?? [];
  const drawn = useRef<Way | undefined>(undefined);
  const way = replaceEqualDeep(drawn.current, ways[Math.min(chosen, ways.length - 1)]); // rungs that are as before stay so
  drawn.current = way;
  const onMove = (next: Move) => {
    move(next);
    setSaid(`${next.assignment} has rank ${next.rank} now.`);
  };
  const whose = device || group || "the fleet";
  return (
    <>
      <PageHead
        tab="Ladder"
        title={
          <>
            Ladder of <span className={device || group ? "font-mono" : ""}>{whose}</span>
          </>
        }
        note={ladder.data ? howMany(ladder.data.devices, ways.length + ladder.data.more) : ""}
      >
        {moves.length > 0 && <Button onClick={() => takeBack()}>Take back {moved(moves)}</Button>}
        {moves.length > 0 && (
          <Button primary disabled={adding.busy} onClick={() => adding.add(mine)}>
            Add {moved(moves)} to the change
          </Button>
        )}
      </PageHead>
      <div className="mb-3 flex items-center gap-5">
        <SearchField
          label="Ladder of one device"
          placeholder="Name of a device"
          value={device}
          onChange={(device) => set({ device })}
        />
        <GroupFilter value={group} onChange={(group) => set({ group, device: "" })} />
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={differ} onChange={(event) => setDiffer(event.target.checked)} />
          Only settings that differ
        </label>
        {drafted.length > 0 && <span className="text-second">As if the draft change were applied.</span>}
      </div>
      {adding.error && <Trouble error={adding.error} />}
      {ladder.error && <Trouble error={ladder.error} />}
      <p role="status" className="sr-only">
        {said}
      </p>
      {ladder.isPending && <Loading />}
      {ladder.data && ways.length === 0 && <Nothing>No device here.</Nothing>}
      {way && (
        <div className={edits.length > 0 ? "grid grid-cols-[minmax(0,1fr)_340px] gap-7 max-[900px]:grid-cols-1" : ""}>
          <div className="min-w-0">
            <Ways ways={ways} more={ladder.data?.more ?? 0} chosen={chosen} choose={setChosen} />
            {way.error ? (
              <div role="alert" className="border-l-4 border-red bg-red-wash px-4 py-2">
                {way.error}
              </div>
            ) : (
              <>
                <Contests way={way} mayMove={mayEdit} assignments={assignments} drafted={drafted} onMove={onMove} />
                <Rungs way={way} differ={differ} mayMove={mayEdit} onMove={onMove} />
                {ladder.data?.warrants.map((w) => (
                  <p key={w.unit + w.words} className="mt-3 border-l-4 border-waiting px-4">
                    <b>{w.title}</b>: {w.words}.{" "}
                    <Link to={`/warrants?device=${device}`} className="font-semibold text-brass">
                      Open warrants
                    </Link>
                  </p>
                ))}
              </>
            )}
          </div>
          {edits.length > 0 && (
            <Aside title="What this does">
              <div aria-live="polite" className={preview.isFetching ? "opacity-60" : ""}>
                {preview.error && <Trouble error={preview.error} />}
                {preview.data && <PreviewSums preview={preview.data} />}
              </div>
            </Aside>
          )}
        </div>
      )}
      {adding.dialog}
    </>
  );
}

function howMany(devices: number, ways: number): string {
  if (devices === 1) return "";
  return `${devices} devices meet the assignments in ${ways === 1 ? "one way" : `${ways} different ways`}.`;
}

/** The ways of meeting assignments, with their devices, to choose one from. */
function Ways(props: { ways: Way[]; more: number; chosen: number; choose: (at: number) => void }) {
  if (props.ways.length < 2) return null;
  return (
    <fieldset className="mb-3 flex flex-wrap gap-1">
      <legend className="sr-only">Ways of meeting the assignments</legend>
      {props.ways.slice(0, 12).map((w, at) => (
        <button
          type="button"
          key={w.first.join(" ")}
          aria-pressed={at === props.chosen}
          title={w.first.join(", ")}
          onClick={() => props.choose(at)}
          className={`rounded-sm border px-2 py-0.5 ${at === props.chosen ? "border-ink bg-ink font-semibold text-paper" : "border-hairline hover:border-ink"}`}
        >
          {w.devices} {w.devices === 1 ? "device" : "devices"}
          <span className="ml-1.5 font-mono text-xs opacity-80">{w.first[0]}…</span>
        </button>
      ))}
      {props.ways.length + props.more > 12 && (
        <span className="self-center text-second">
          and {props.ways.length + props.more - 12} with fewer devices; choose a group or a device
        </span>
      )}
    </fieldset>
  );
}
