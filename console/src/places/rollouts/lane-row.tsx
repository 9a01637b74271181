import type { Lane } from "@/api/types";
import { fieldLooks, type Outcome, OutcomeBar, outcomes, tallyWords } from "@/domain/outcome";
import { timeOf } from "@/domain/time";
import { MarkField } from "@/ui/mark-field";
import { Marks } from "@/ui/marks";

type LaneProps = { lane: Lane; before: Lane | undefined; pick: (outcome: Outcome) => void };

/** One wave: what it is, its devices with one mark each, and its gate. */
export function LaneRow({ lane, before, pick }: LaneProps) {
  return (
    <div className="grid grid-cols-[200px_minmax(0,1fr)_300px] gap-5 max-[900px]:grid-cols-1 max-[900px]:gap-2 border-b border-hairline py-3">
      <div className={lane.opened_at ? "" : "text-second"}>
        <h2 className="font-bold">
          Wave {lane.wave} <span className="font-normal">· {lane.title}</span>
        </h2>
        <p className="text-xs text-second">
          {lane.devices} {lane.devices === 1 ? "device" : "devices"}
          {lane.opened_at ? ` · opened ${timeOf(lane.opened_at)}` : " · not opened"}
          {lane.passed_at && `, passed ${timeOf(lane.passed_at)}`}
        </p>
      </div>
      <div>
        {lane.marks.length > 0 ? (
          <Marks
            label={`Devices of wave ${lane.wave}`}
            marks={lane.marks.map((m) => ({ ...outcomes[m.outcome], id: m.device_id, device: m.device }))}
          />
        ) : (
          <>
            <OutcomeBar tally={lane.tally} />
            {lane.field && (
              <div className="mt-1.5">
                <MarkField
                  label={`Devices of wave ${lane.wave}`}
                  letters={lane.field}
                  looks={fieldLooks}
                  onPick={(letter) => fieldLooks[letter] && pick(fieldLooks[letter].outcome)}
                />
              </div>
            )}
          </>
        )}
        <p className="mt-1 text-xs text-second">{tallyWords(lane.tally)}</p>
        {lane.stuck && <p className="mt-1 border-l-4 border-brass pl-2">{lane.stuck}.</p>}
      </div>
      {lane.opened_at ? (
        <ul aria-label={`Gate of wave ${lane.wave}`} className="text-xs">
          {lane.gate.map((g) => (
            <li key={g.condition} className={`flex gap-2 ${g.broken ? "font-semibold text-red" : ""}`}>
              <span aria-hidden className={g.broken ? "" : g.met ? "text-green" : "text-waiting"}>
                {g.broken ? "✕" : g.met ? "✓" : "◔"}
              </span>
              <span>
                {g.words}
                <span className="sr-only">{g.broken ? ", broken" : g.met ? ", met" : ", not met yet"}</span>
              </span>
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-xs text-second">{before && `opens when wave ${before.wave} has passed its gate`}</p>
      )}
    </div>
  );
}
