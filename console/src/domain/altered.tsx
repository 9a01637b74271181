import type { Schemas } from "@/api/types";
import { Breakable } from "@/ui/breakable";

/** Rows that are drawn at first. */
const shown = 50;

/** What is another one afterwards: before → after, the first rows; of is how many there are. */
export function Altered({ rows, of = rows.length }: { rows: Schemas["Altered"][]; of?: number }) {
  return (
    <table className="w-full text-left">
      <caption className="sr-only">What is before, and after</caption>
      <thead>
        <tr className="border-b border-ink text-xs text-second">
          <th className="py-1.5">Of</th>
          <th>What</th>
          <th>Before</th>
          <th>After</th>
        </tr>
      </thead>
      <tbody>
        {rows.slice(0, shown).map((row) => (
          <tr key={`${row.object} ${row.what}`} className="border-b border-hairline align-baseline">
            <td className="py-1 pr-3 font-mono">
              <Breakable text={row.object} />
            </td>
            <td className="pr-3">{row.what}</td>
            <td className="pr-3 text-second">{row.before ? <Breakable text={row.before} /> : "–"}</td>
            <td>
              <span className="sr-only">becomes </span>
              <span aria-hidden="true">→ </span>
              {row.after ? <Breakable text={row.after} /> : "none"}
            </td>
          </tr>
        ))}
        {of > Math.min(rows.length, shown) && (
          <tr>
            <td colSpan={4} className="py-1 text-second">
              and {of - Math.min(rows.length, shown)} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
