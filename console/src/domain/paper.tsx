import type { ReactNode } from "react";
import { counted } from "./count";

/** A part of a page that is printed, kept together on paper where it fits. */
export function TableSection({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mb-6 border-t-2 border-ink pt-2 break-inside-avoid-page">
      <h2 className="mb-1 text-lg font-bold">{title}</h2>
      {children}
    </section>
  );
}

type TableProps = {
  head: string[];
  rows: { key: string; cells: ReactNode[] }[];
  empty: string;
  numbersFrom?: number; // columns from here on are numbers
  more?: number; // entries that are not shown
};

/** A plain table, whole, as paper wants it. */
export function Table({ head, rows, empty, numbersFrom = head.length, more = 0 }: TableProps) {
  if (rows.length === 0) return <p className="text-second">{empty}</p>;
  const align = (i: number) => (i >= numbersFrom ? "text-right tabular-nums" : "text-left");
  return (
    <>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink text-xs text-second">
            {head.map((title, i) => (
              <th key={title} className={`py-1 pr-4 font-semibold last:pr-0 ${align(i)}`}>
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ key, cells }) => (
            <tr key={key} className="border-b border-hairline align-top">
              {cells.map((cell, i) => (
                <td
                  key={head[i]}
                  className={`py-1 pr-4 last:pr-0 ${i === 0 ? "whitespace-nowrap" : "break-words"} ${align(i)}`}
                >
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {more > 0 && (
        <p className="mt-1 text-second">and {counted(more)} more; the lists of the console have them all.</p>
      )}
    </>
  );
}
