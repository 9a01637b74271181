import { Link } from "react-router";
import type { Overview } from "@/api/types";
import { OutcomeBar, RolloutState, tallyWords } from "@/domain/outcome";
import { Aside } from "@/ui/page";

/** Rollouts that have not ended; those that stopped come first. */
export function UnderWay({ fleet }: { fleet: Overview }) {
  if (fleet.rollouts.length === 0) return null;
  const stopped = fleet.rollouts.filter((r) => r.state === "stopped");
  const others = fleet.rollouts.filter((r) => r.state !== "stopped");
  return (
    <Aside title="Rollouts">
      <ul className="space-y-3">
        {[...stopped, ...others].map((r) => (
          <li
            key={r.change}
            className={`border-l-4 px-3 py-2 ${r.state === "stopped" ? "border-red bg-red-wash" : "border-waiting bg-sheet"}`}
          >
            <p className="flex items-baseline justify-between gap-2">
              <Link to={`/rollouts/${r.change}`} className="font-semibold">
                {r.title || r.change}
              </Link>
              <RolloutState state={r.state} />
            </p>
            <OutcomeBar tally={r.tally} />
            <p className="mt-1 text-xs text-second">
              wave {r.open_waves} of {r.waves}: {tallyWords(r.tally)}
            </p>
            {r.state === "stopped" && <p>{r.said}.</p>}
          </li>
        ))}
      </ul>
    </Aside>
  );
}
