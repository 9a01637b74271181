import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { Warrant } from "@/api/types";
import { stamp, useNow } from "@/domain/time";
import { Aside } from "@/ui/page";
import { holder, someOf } from "../warrants/words";
import { barOf, hours, isUnderWay, span } from "./warrant-bars";

/** Who has rights for a time now or within a day, from when until when. */
export function WarrantsNow() {
  const now = useNow();
  const warrants = usePages(list.warrants({ open: true }));
  const underWay = warrants.items
    .filter((w) => isUnderWay(w, now))
    .sort((a, b) => String(a.from).localeCompare(String(b.from)));
  if (underWay.length === 0) return null;
  return (
    <Aside title="Warrants under way">
      <ul className="space-y-3">
        {underWay.map((w) => (
          <li key={w.id}>
            <p>
              <Link to="/warrants" className="font-semibold break-words">
                {holder(w)}
              </Link>{" "}
              in {w.unit_title} on <span className="font-mono">{someOf(w.devices)}</span>
            </p>
            <Bar of={w} now={now} />
            <p className="text-xs text-second">
              {w.runs ? "until" : `from ${w.from && stamp(w.from)} until`} {w.until && stamp(w.until)}: {w.reason}
            </p>
          </li>
        ))}
      </ul>
      <div aria-hidden className="relative mt-1 h-4 text-xs text-second">
        {hours(now).map((h) => (
          <span key={h.at} className="absolute -translate-x-1/2 tabular-nums" style={{ left: `${h.at}%` }}>
            {h.words}
          </span>
        ))}
      </div>
    </Aside>
  );
}

/** The time of a warrant within the day that is shown; the line is now. The words beside it say the same. */
function Bar({ of, now }: { of: Warrant; now: number }) {
  const { left, width, goesOn } = barOf(of, now);
  return (
    <div aria-hidden className="relative my-1 h-2 bg-sheet">
      <div
        className={`absolute inset-y-0 ${of.runs ? "bg-waiting" : "border border-waiting"} ${goesOn ? "border-r-4 border-r-brass" : ""}`}
        style={{ left: `${left}%`, width: `${width}%` }}
      />
      <div className="absolute -inset-y-1 w-px bg-ink" style={{ left: `${(span.before / span.all) * 100}%` }} />
    </div>
  );
}
