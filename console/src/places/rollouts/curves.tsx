import type { Lane } from "@/api/types";
import { Aside } from "@/ui/page";

const width = 560;
const height = 170;
const left = 44;
const bottom = 22;
const colours = ["var(--green)", "var(--brass)", "var(--waiting)", "var(--held)", "var(--ink-second)"];

/** Seconds in a short form. */
const short = (seconds: number) =>
  seconds < 10
    ? `${Math.round(seconds * 10) / 10} s`
    : seconds < 120
      ? `${Math.round(seconds)} s`
      : `${Math.round(seconds / 60)} min`;

/** When a share of a wave's devices was verified; undefined while fewer are. */
export function verifiedWithin(lane: Lane, share: number): number | undefined {
  return lane.curve.find((p) => p.devices >= share * lane.devices)?.seconds;
}

/** How long after their wave opened devices were verified: as a picture, and as a table. */
export function Curves({ lanes }: { lanes: Lane[] }) {
  const open = lanes.filter((l) => l.opened_at && l.devices > 0);
  const most = Math.max(...open.map((l) => l.curve.at(-1)?.seconds ?? 0)) || 1;
  const x = (seconds: number) => left + (seconds / most) * (width - left - 70);
  const y = (share: number) => (1 - share) * (height - bottom - 10) + 10;
  const path = (l: Lane) =>
    l.curve.reduce((d, p) => `${d} L${x(p.seconds)},${y(p.devices / l.devices)}`, `M${x(0)},${y(0)}`);
  const ends = open.map((l) => y((l.curve.at(-1)?.devices ?? 0) / l.devices));
  return (
    <Aside title="Time to verified">
      {open.length === 0 && <p className="text-second">No wave is open yet.</p>}
      {open.length > 0 && (
        <svg
          role="img"
          aria-label={`Devices verified over time since their wave opened, at most ${short(most)}`}
          viewBox={`0 0 ${width} ${height}`}
          className="w-full text-xs"
        >
          {[0, 0.5, 1].map((share) => (
            <g key={share}>
              <line x1={left} x2={width - 70} y1={y(share)} y2={y(share)} stroke="var(--hairline)" />
              <text x={left - 6} y={y(share) + 4} textAnchor="end" fill="var(--ink-second)">
                {share * 100} %
              </text>
            </g>
          ))}
          {[0, 0.5, 1].map((part) => (
            <text key={part} x={x(part * most)} y={height - 4} textAnchor="middle" fill="var(--ink-second)">
              {short(part * most)}
            </text>
          ))}
          {open.map((l, i) => (
            <g key={l.wave} stroke={colours[i % colours.length]} fill="none">
              <path d={path(l)} strokeWidth={2} />
              <text
                x={width - 64}
                y={(ends[i] ?? 0) + 4 + 13 * ends.slice(0, i).filter((e) => Math.abs(e - (ends[i] ?? 0)) < 12).length}
                stroke="none"
                fill={colours[i % colours.length]}
              >
                wave {l.wave}
              </text>
            </g>
          ))}
        </svg>
      )}
      <details className="mt-1">
        <summary className="text-second">As a table</summary>
        <table className="mt-1 w-full text-right">
          <thead>
            <tr className="border-b border-ink text-xs text-second">
              <th className="py-1 text-left">Wave</th>
              <th>Verified</th>
              <th>Half within</th>
              <th>99 % within</th>
            </tr>
          </thead>
          <tbody>
            {open.map((l) => (
              <tr key={l.wave} className="border-b border-hairline">
                <td className="py-0.5 text-left">
                  {l.wave}, {l.title}
                </td>
                <td>
                  {l.tally.verified} of {l.devices}
                </td>
                {[0.5, 0.99].map((share) => {
                  const within = verifiedWithin(l, share);
                  return <td key={share}>{within === undefined ? "not yet" : short(within)}</td>;
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </Aside>
  );
}
