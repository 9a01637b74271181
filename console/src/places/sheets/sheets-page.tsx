import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Sheet } from "@/api/types";
import { stamp, useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { DecideSheet } from "./decide-sheet";
import { MakeSheet } from "./make-sheet";
import { isVoid, standsAs } from "./words";

/** Passwords that were sealed for devices that reach no service, and whether they may still be right. */
export function SheetsPage() {
  const now = useNow();
  const may = useRights();
  const sheets = usePages(list.sheets());
  const columns: Column<Sheet>[] = [
    {
      title: "Devices",
      width: "minmax(200px,1.4fr)",
      cell: (s) => <Devices of={s} />,
    },
    {
      title: "State",
      width: "minmax(190px,1.2fr)",
      cell: (s) => (
        <>
          <span className={s.state === "waiting" ? "text-waiting" : isVoid(s) ? "text-second" : ""}>{standsAs(s)}</span>
          {s.state === "waiting" &&
            s.needs.map((need) => (
              <span key={need} className="block text-second">
                {need}
              </span>
            ))}
          {s.decided_by && <span className="block text-second">decided by {s.decided_by}</span>}
        </>
      ),
    },
    {
      title: "Good until",
      width: "150px",
      cell: (s) => <span className="whitespace-nowrap">{stamp(s.expires_at)}</span>,
    },
    {
      title: "Asked",
      width: "148px",
      cell: (s) => (
        <>
          <When at={s.created_at} now={now} />
          <span className="block text-second">by {s.created_by}</span>
        </>
      ),
    },
    {
      title: "Sealed to",
      width: "130px",
      cell: (s) =>
        s.recipient ? (
          <span className="font-mono" title={s.recipient}>
            {s.recipient.slice(0, 10)}…
          </span>
        ) : (
          "ten words"
        ),
    },
    { title: "Because", width: "minmax(140px,1fr)", cell: (s) => s.reason },
    ...(may("reveal") ? [{ title: "Do", width: "150px", cell: (s: Sheet) => <DecideSheet sheet={s} /> }] : []),
  ];
  return (
    <>
      <PageHead
        tab="Sealed sheets"
        title="Sealed sheets"
        note="Passwords for devices that reach no service, sealed and to be printed. Each counts as a view of its passwords."
      >
        <Link to="/passwords" className="font-semibold text-brass">
          Passwords
        </Link>
        {may("reveal") && <MakeSheet />}
      </PageHead>
      <PagedRows
        list={sheets}
        empty="No sealed sheet was made."
        label="Sealed sheets"
        columns={columns}
        id={(s) => s.id}
        estimate={74}
      />
    </>
  );
}

const shown = 6;

function Devices({ of }: { of: Sheet }) {
  return (
    <>
      {of.devices.slice(0, shown).map((d) => (
        <Link key={d.device_id} to={`/devices/${d.device}`} className="mr-2 font-mono whitespace-nowrap">
          {d.device}
        </Link>
      ))}
      {of.devices.length > shown && <span className="text-second">and {of.devices.length - shown} more</span>}
    </>
  );
}
