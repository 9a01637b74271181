import type { Posture } from "@/api/posture";
import { counted } from "@/domain/count";
import { fills, looks, order, total } from "@/domain/standing";

const width = 560;
const height = 170;
const left = 44;
const bottom = 22;
const top = 8;

/** Seconds in a short form. */
const short = (seconds: number) =>
  seconds < 10
    ? `${Math.round(seconds * 10) / 10} s`
    : seconds < 120
      ? `${Math.round(seconds)} s`
      : seconds < 7200
        ? `${Math.round(seconds / 60)} min`
        : `${Math.round(seconds / 3600)} h`;

/** The first and the last day below a plot. */
function Days({ first, last }: { first: string; last: string }) {
  return (
    <>
      <text x={left} y={height - 4} fill="var(--ink-second)">
        {first}
      </text>
      {last !== first && (
        <text x={width} y={height - 4} textAnchor="end" fill="var(--ink-second)">
          {last}
        </text>
      )}
    </>
  );
}

/** How devices stood day by day, as stacked bars; the table of the report's CSV has the numbers. */
export function StandingsPlot({ days }: { days: Posture["days"] }) {
  const first = days[0];
  const last = days.at(-1);
  if (!first || !last) return <p className="text-second">Not known for this selection of devices and this period.</p>;
  const most = Math.max(...days.map((d) => total(d.standings)), 1);
  const wide = Math.min((width - left) / days.length, 40);
  return (
    <>
      <svg
        role="img"
        aria-label={`Standings on ${days.length} days; on the last ${order.map((s) => `${last.standings[s]} ${looks[s].word}`).join(", ")}`}
        viewBox={`0 0 ${width} ${height}`}
        className="w-full text-xs"
      >
        {[0, 0.5, 1].map((share) => {
          const y = top + (1 - share) * (height - bottom - top);
          return (
            <g key={share}>
              <line x1={left} x2={width} y1={y} y2={y} stroke="var(--hairline)" />
              <text x={left - 6} y={y + 4} textAnchor="end" fill="var(--ink-second)">
                {Math.round(most * share)}
              </text>
            </g>
          );
        })}
        {days.map((d, i) => {
          let y = height - bottom;
          return order.map((s) => {
            const tall = (d.standings[s] / most) * (height - bottom - top);
            y -= tall;
            return (
              tall > 0 && (
                <rect key={`${d.day} ${s}`} x={left + i * wide} y={y} width={wide * 0.94} height={tall} fill={fills[s]}>
                  <title>{`${d.day}: ${d.standings[s]} ${looks[s].word}`}</title>
                </rect>
              )
            );
          });
        })}
        <Days first={first.day} last={last.day} />
      </svg>
      <p className="flex gap-4 text-sm">
        {order.map((s) => (
          <span key={s} className={looks[s].text}>
            {looks[s].glyph} {looks[s].word}
          </span>
        ))}
      </p>
    </>
  );
}

/** How long devices took day by day: half of them, and nine of ten. */
export function VerifiedPlot({ days }: { days: Posture["verified"] }) {
  const first = days[0];
  const last = days.at(-1);
  if (!first || !last) return <p className="text-second">No new desired state was verified in this period.</p>;
  const most = Math.max(...days.map((d) => d.nine_of_ten_within_seconds), 0.1);
  const x = (i: number) => left + 6 + (days.length > 1 ? (i / (days.length - 1)) * (width - left - 12) : 0);
  const y = (seconds: number) => top + (1 - seconds / most) * (height - bottom - top);
  const lines = [
    { name: "nine of ten", colour: "var(--brass)", of: (d: (typeof days)[number]) => d.nine_of_ten_within_seconds },
    { name: "half", colour: "var(--green)", of: (d: (typeof days)[number]) => d.half_within_seconds },
  ];
  return (
    <>
      <svg
        role="img"
        aria-label={`Time to verified on ${days.length} days; on the last half within ${short(last.half_within_seconds)}, nine of ten within ${short(last.nine_of_ten_within_seconds)}`}
        viewBox={`0 0 ${width} ${height}`}
        className="w-full text-xs"
      >
        {[0, 0.5, 1].map((share) => (
          <g key={share}>
            <line x1={left} x2={width} y1={y(share * most)} y2={y(share * most)} stroke="var(--hairline)" />
            <text x={left - 6} y={y(share * most) + 4} textAnchor="end" fill="var(--ink-second)">
              {short(share * most)}
            </text>
          </g>
        ))}
        {lines.map((line) => (
          <g key={line.name} stroke={line.colour} fill={line.colour}>
            <polyline fill="none" strokeWidth={2} points={days.map((d, i) => `${x(i)},${y(line.of(d))}`).join(" ")} />
            {days.map((d, i) => (
              <circle key={d.day} cx={x(i)} cy={y(line.of(d))} r={3}>
                <title>{`${d.day}: ${line.name} within ${short(line.of(d))}, of ${d.verified} desired states`}</title>
              </circle>
            ))}
          </g>
        ))}
        <Days first={first.day} last={last.day} />
      </svg>
      <p className="flex gap-4 text-sm">
        <span className="text-brass">● nine of ten within {short(last.nine_of_ten_within_seconds)}</span>
        <span className="text-green">● half within {short(last.half_within_seconds)}</span>
        <span className="text-second">on the last day; {counted(days.reduce((n, d) => n + d.verified, 0))} in all</span>
      </p>
    </>
  );
}
