import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { Schemas } from "@/api/types";
import { fills, looks, order, total } from "@/domain/standing";
import { dayOf, stamp } from "@/domain/time";
import { Aside, Trouble } from "@/ui/page";

type Hour = Schemas["StandingHour"];

const days = 14;
const hourLong = 3_600_000; // milliseconds
const height = 84;

/** How the fleet stood over days, hour by hour: as a picture, and as a table. */
export function OverDays() {
  const history = useQuery(read.standingHistory(days));
  if (history.error) return <Trouble error={history.error} />;
  const hours = history.data?.items ?? [];
  if (!hours.some((h) => total(h) > 0)) return null;
  return (
    <Aside title={`Standings over ${days} days`}>
      <Picture hours={hours} />
      <details className="mt-1">
        <summary className="text-second">As a table, day by day</summary>
        <Table hours={hours} />
      </details>
    </Aside>
  );
}

/** The last hour of each day, newest first. */
export function byDay(hours: Hour[]): Hour[] {
  const last = new Map<string, Hour>();
  for (const h of hours) last.set(dayOf(h.hour), h);
  return [...last.values()].reverse();
}

function Picture({ hours }: { hours: Hour[] }) {
  const first = Date.parse(hours[0]?.hour ?? "");
  const last = Date.parse(hours.at(-1)?.hour ?? "");
  const width = Math.max((last - first) / hourLong + 1, 24); // at least a day, so that one hour is no wall
  const most = Math.max(...hours.map(total), 1);
  const latest = hours.at(-1);
  const words = latest
    ? order
        .filter((s) => latest[s] > 0)
        .map((s) => `${latest[s]} ${looks[s].word}`)
        .join(", ")
    : "";
  return (
    <>
      <svg
        role="img"
        aria-label={`Standings since ${stamp(first)}; now ${words}`}
        viewBox={`0 0 ${width} ${height}`}
        preserveAspectRatio="none"
        className="h-21 w-full border-b border-hairline bg-sheet"
      >
        {hours.map((h) => {
          let y = height;
          const x = (Date.parse(h.hour) - first) / hourLong + width - ((last - first) / hourLong + 1);
          return order.map((s) => {
            const tall = (h[s] / most) * height;
            y -= tall;
            return tall > 0 && <rect key={`${h.hour} ${s}`} x={x} y={y} width={1.02} height={tall} fill={fills[s]} />;
          });
        })}
      </svg>
      <p className="flex justify-between text-xs text-second">
        <span>{stamp(last - (width - 1) * hourLong)}</span>
        <span>now</span>
      </p>
    </>
  );
}

function Table({ hours }: { hours: Hour[] }) {
  return (
    <table className="mt-1 w-full text-right">
      <thead>
        <tr className="border-b border-ink text-xs text-second">
          <th className="py-1 text-left">Day</th>
          {order.map((s) => (
            <th key={s}>{looks[s].word}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {byDay(hours).map((h) => (
          <tr key={h.hour} className="border-b border-hairline">
            <td className="py-0.5 text-left">{dayOf(h.hour)}</td>
            {order.map((s) => (
              <td key={s}>{h[s]}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
