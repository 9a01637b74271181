import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { stamp } from "@/domain/time";
import { Aside } from "@/ui/page";
import { holder } from "../warrants/words";

/** Who has rights for a time now, and until when. */
export function WarrantsNow() {
  const warrants = usePages(list.warrants({ open: true }));
  const running = warrants.items.filter((w) => w.runs);
  if (running.length === 0) return null;
  return (
    <Aside title="Warrants that run">
      <ul className="space-y-2">
        {running.map((w) => (
          <li key={w.id} className="border-l-4 border-waiting bg-sheet px-3 py-2">
            <p>
              <Link to="/warrants" className="font-semibold">
                {holder(w)}
              </Link>{" "}
              in {w.unit_title} on <span className="font-mono">{w.devices.join(", ")}</span>
            </p>
            <p className="text-xs text-second">
              until {w.until && stamp(w.until)}: {w.reason}
            </p>
          </li>
        ))}
      </ul>
    </Aside>
  );
}
