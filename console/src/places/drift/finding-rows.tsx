import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Finding } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { type Column, Rows } from "@/ui/rows";
import { type Row, rowsOf } from "./kinds";

type FindingRowsProps = {
  items: Finding[];
  more: boolean;
  readMore: () => void;
  chosen: ReadonlySet<number>; // findings by number
  toggle?: ((findings: Finding[]) => void) | undefined; // nothing where whoever looks may do nothing with them
};

/** Findings, a row for each device and setting. */
export function FindingRows({ items, more, readMore, chosen, toggle }: FindingRowsProps) {
  const now = useNow();
  const rows = useMemo(() => rowsOf(items), [items]);
  const columns: Column<Row>[] = [
    {
      title: "Device",
      sort: (r) => r.first.device,
      width: "124px",
      cell: ({ first: f }) => (
        <Link to={`/devices/${f.device}`} className="font-mono font-semibold">
          {f.device}
        </Link>
      ),
    },
    {
      title: "Setting",
      sort: (r) => r.first.unit_title,
      width: "130px",
      cell: ({ first: f }) => (
        <Link to={`/devices/${f.device}/history?setting=${encodeURIComponent(f.unit)}`} className="text-ink">
          {f.unit_title}
        </Link>
      ),
    },
    {
      title: "Finding",
      sort: (r) => r.first.kind,
      width: "minmax(220px,1fr)",
      cell: (r) => <Whole row={r} now={now} />,
    },
    {
      title: "Decided by",
      sort: (r) => r.first.assignments.join(", "),
      width: "130px",
      cell: (r) => r.first.assignments.join(", "),
    },
    {
      title: "First seen",
      sort: (r) => r.first.first_seen,
      width: "90px",
      right: true,
      cell: (r) => ago(r.first.first_seen, now),
    },
  ];
  return (
    <Rows
      label="Findings"
      items={rows}
      columns={columns}
      id={(r) => r.id}
      more={more}
      readMore={readMore}
      estimate={53}
      narrow
      {...(toggle && {
        selection: {
          has: (r: Row) => r.all.every((f) => chosen.has(f.id)),
          toggle: (r: Row) => toggle(r.all),
          name: (r: Row) => `${r.first.unit_title} on ${r.first.device}`,
        },
      })}
    />
  );
}

/** What a row has: its first findings, and all of them for whoever opens it. */
function Whole({ row, now }: { row: Row; now: number }) {
  const [open, setOpen] = useState(false);
  const shown = open ? row.all : row.all.slice(0, 2);
  return (
    <>
      <ul>
        {shown.map((f) => (
          <li key={f.id} className={f.state === "open" && f.drifts ? "text-red" : ""}>
            <Words>{f.words}</Words>
            {f.came_back > 0 && (
              <Link
                to={`/drift?state=${f.last_state}&device=${f.device}&unit=${f.unit}&kind=${f.kind}`}
                className="block text-xs text-held"
              >
                ↺ came back: closed {f.came_back === 1 ? "once" : `${f.came_back} times`} before, last{" "}
                {ago(f.last_closed, now)}
              </Link>
            )}
          </li>
        ))}
      </ul>
      {row.all.length > 2 && (
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className="text-xs font-semibold text-brass hover:underline"
        >
          {open ? "less" : `and ${row.all.length - 2} more`}
        </button>
      )}
    </>
  );
}
