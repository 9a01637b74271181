import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Rollout } from "@/api/types";
import { devicesOf, outcomeOrder, outcomes, rolloutStates } from "@/domain/outcome";
import { ago, stamp, timeOf, useNow } from "@/domain/time";
import { useFilters } from "@/ui/filters";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { Curves } from "./curves";
import { DevicesOf } from "./devices-of";
import { LaneRow } from "./lane-row";
import { Steps } from "./steps";

/** One rollout, live: its waves as lanes, its gates, and every decision. */
export function RolloutPage() {
  const may = useRights();
  const { name = "" } = useParams();
  const found = useQuery(read.rollout(name));
  if (found.isPending) return <Loading />;
  if (!found.data) return <Trouble error={found.error as Error} />;
  return <Whole key={name} of={found.data} mayDeploy={may("deploy")} />;
}

function Whole({ of, mayDeploy }: { of: Rollout; mayDeploy: boolean }) {
  const now = useNow();
  const [params, set] = useFilters();
  const wave = Number(params.get("wave") ?? 0);
  const outcome = outcomeOrder.find((o) => o === params.get("outcome"));
  const devices = devicesOf(of.tally);
  const state = rolloutStates[of.state];
  return (
    <>
      <PageHead
        tab={`Rollout of ${of.title || of.change}`}
        title={of.title || of.change}
        note={
          <>
            <span className={`${state.text} font-semibold`}>
              <span aria-hidden>{state.glyph}</span> {state.word}
            </span>{" "}
            · started {ago(of.started_at, now)} by {of.started_by} · {devices} {devices === 1 ? "device" : "devices"} ·{" "}
            <Link to={`/changes/${of.change}`} className="font-semibold text-brass">
              Open the change
            </Link>
          </>
        }
      >
        {mayDeploy && !of.ended_at && <Steps of={of} />}
      </PageHead>
      {of.reason && <p className="mb-3">{of.reason}</p>}
      <Notices of={of} see={() => set({ outcome: worst.find((o) => of.tally[o] > 0) ?? "failed", wave: "" })} />
      <section aria-label="Waves" className="border-t-2 border-ink">
        {of.lanes.map((lane, i) => (
          <LaneRow
            key={lane.wave}
            lane={lane}
            before={of.lanes[i - 1]}
            pick={(outcome) => set({ wave: String(lane.wave), outcome })}
          />
        ))}
      </section>
      <p className="mt-2 mb-5 flex flex-wrap gap-x-5 text-xs text-second">
        {outcomeOrder.map((o) => (
          <span key={o}>
            <span aria-hidden className={outcomes[o].text}>
              {outcomes[o].glyph}
            </span>{" "}
            {outcomes[o].word}
          </span>
        ))}
      </p>
      {(outcome || wave > 0) && (
        <DevicesOf change={of.change} wave={wave} outcome={outcome} close={() => set({ wave: "", outcome: "" })} />
      )}
      <div className="grid grid-cols-2 gap-7">
        <Curves lanes={of.lanes} />
        <Aside title="Decisions">
          <ol>
            {of.decisions.map((d) => (
              <li key={`${d.at} ${d.what} ${d.words}`} className="flex gap-3 border-b border-hairline py-1">
                <time dateTime={d.at} title={stamp(d.at)} className="font-mono text-xs leading-5">
                  {timeOf(d.at)}
                </time>
                <span>
                  <span
                    className={`font-semibold ${["gate_stopped", "halted", "many_join"].includes(d.what) ? "text-red" : ""}`}
                  >
                    {d.by || "gate"}
                  </span>{" "}
                  {d.words}
                </span>
              </li>
            ))}
          </ol>
        </Aside>
      </div>
    </>
  );
}

/** What stops a rollout, with what is looked at first in front. */
const worst = ["lost", "guard_refused", "failed", "late"] as const;

/** What somebody should know before anything else. */
function Notices({ of, see }: { of: Rollout; see: () => void }) {
  const failed = of.tally.lost + of.tally.failed + of.tally.guard_refused + of.tally.late;
  return (
    <>
      {of.state === "stopped" && (
        <div role="alert" className="mb-3 flex items-center gap-3 border-l-4 border-red bg-red-wash px-4 py-2">
          <p className="grow">
            <span aria-hidden className="text-red">
              ■
            </span>{" "}
            <span className="font-semibold">{`${of.said[0]?.toUpperCase() ?? ""}${of.said.slice(1)}`}.</span> No further
            device starts.
          </p>
          {failed > 0 && (
            <button type="button" onClick={see} className="font-semibold whitespace-nowrap text-brass hover:underline">
              See which
            </button>
          )}
        </div>
      )}
      {of.trouble && (
        <div role="alert" className="mb-3 border-l-4 border-red bg-red-wash px-4 py-2">
          Every device has it, and it cannot be made for good: {of.trouble}
        </div>
      )}
      {of.edited && (
        <div role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          The change was edited since. Resuming takes it out as it is now.
        </div>
      )}
      {of.asked && (
        <div role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          {of.asked.by} asks for wave {of.asked.wave} to open early: {of.asked.reason}. Somebody else must open it.
        </div>
      )}
    </>
  );
}
