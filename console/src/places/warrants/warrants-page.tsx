import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Warrant } from "@/api/types";
import { stamp, useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { AskWarrant } from "./ask-warrant";
import { Decide } from "./decide";
import { holder, standsAs } from "./words";

/** Rights for a time: what waits for somebody, what runs, and what is over. */
export function WarrantsPage() {
  const [params, set] = useFilters();
  const now = useNow();
  const may = useRights();
  const which = params.get("which") === "all" ? "all" : "open";
  const device = params.get("device") ?? "";
  const warrants = usePages(list.warrants({ ...(which === "open" && { open: true }), ...(device && { device }) }));
  const columns: Column<Warrant>[] = [
    {
      title: "Who",
      sort: (w) => w.principal,
      width: "minmax(230px,1.4fr)",
      cell: (w) => (
        <>
          <span className="font-semibold break-words">{holder(w)}</span>
          <span className="block text-second">{w.unit_title}</span>
          {w.people.length > 0 && <People of={w} />}
        </>
      ),
    },
    {
      title: "On",
      width: "minmax(120px,1fr)",
      cell: (w) => (
        <>
          {w.devices.slice(0, named).map((d) => (
            <Link key={d} to={`/devices/${d}`} className="mr-2 font-mono whitespace-nowrap">
              {d}
            </Link>
          ))}
          {w.devices.length > named && <span className="text-second">and {w.devices.length - named} more</span>}
          {w.group && <span className="block text-second">of the group {w.group}</span>}
        </>
      ),
    },
    {
      title: "State",
      sort: (w) => w.state,
      width: "minmax(130px,1fr)",
      cell: (w) => (
        <>
          {standsAs(w)}
          {w.state === "waiting" &&
            w.needs.map((need) => (
              <span key={need} className="block text-second">
                {need}
              </span>
            ))}
          {w.decided_by && <span className="block text-second">decided by {w.decided_by}</span>}
        </>
      ),
    },
    {
      title: "Until",
      sort: (w) => w.until ?? "",
      width: "150px",
      cell: (w) =>
        w.until && w.from ? (
          <>
            <span className="whitespace-nowrap">{stamp(w.until)}</span>
            <span className="block text-xs text-second">from {stamp(w.from)}</span>
          </>
        ) : (
          `${w.minutes} min from when it is agreed`
        ),
    },
    {
      title: "Asked",
      sort: (w) => w.asked_at,
      width: "148px",
      cell: (w) => (
        <>
          <When at={w.asked_at} now={now} />
          <span className="block text-second">by {w.asked_by}</span>
        </>
      ),
    },
    {
      title: "Because",
      width: "minmax(140px,1fr)",
      cell: (w) => (
        <>
          {w.reason}
          {w.ticket && <span className="block text-second">{w.ticket}</span>}
          {w.like >= often && (
            <span className="block text-waiting">
              {w.like} like it within 30 days:{" "}
              <Link to="/new-policy" className="font-semibold text-brass">
                write a policy?
              </Link>
            </span>
          )}
          {w.despite && <span className="block font-semibold text-waiting">also against a policy</span>}
        </>
      ),
    },
    ...(may("ask") || may("ask-own")
      ? [{ title: "Do", width: "150px", cell: (w: Warrant) => <Decide warrant={w} /> }]
      : []),
  ];
  return (
    <>
      <PageHead
        tab="Warrants"
        title="Warrants"
        note="Somebody is a member of a local group until a stated time. The device takes the membership away by itself."
      >
        {(may("ask") || may("ask-own")) && <AskWarrant device={device} />}
      </PageHead>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <Choices
          label="Which"
          value={which}
          onChange={(value) => set({ which: value === "open" ? "" : value })}
          choices={[
            { value: "open", label: "wait or run" },
            { value: "all", label: "all" },
          ]}
        />
        <SearchField
          label="Of a device"
          placeholder="Name of a device"
          value={device}
          onChange={(device) => set({ device })}
        />
      </div>
      <PagedRows
        list={warrants}
        empty={which === "open" ? "No warrant waits or runs." : "There has been no warrant."}
        label="Warrants"
        columns={columns}
        id={(w) => w.id}
        estimate={74}
      />
    </>
  );
}

const shown = 3;
const named = 6; // devices
const often = 3; // from which on a policy may be the better way

/** Who is in a group that has a warrant. */
function People({ of }: { of: Warrant }) {
  const names = of.people.map((p) => p.replace(/^user:/, ""));
  return (
    <span className="block text-xs text-second">
      {of.state === "waiting" ? "now" : "then"} {names.slice(0, shown).join(", ")}
      {names.length > shown && ` and ${names.length - shown} more`}
    </span>
  );
}
