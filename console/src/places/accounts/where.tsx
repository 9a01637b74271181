import { useState } from "react";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { LocalMember } from "@/api/types";
import { useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { Breakable } from "@/ui/breakable";
import { Export } from "@/ui/export";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

/** On which devices somebody is in local groups whose members can take the device over, or in any. */
export function Where({ principal }: { principal: string }) {
  const now = useNow();
  const [all, setAll] = useState(false);
  const found = usePages(list.memberships(principal, all));
  const columns: Column<LocalMember>[] = [
    {
      title: "Device",
      sort: (m) => m.device,
      width: "minmax(120px,1fr)",
      cell: (m) => (
        <Link to={`/devices/${m.device}`} className="font-mono">
          {m.device}
        </Link>
      ),
    },
    {
      title: "Local group and member",
      sort: (m) => m.local_group,
      width: "minmax(150px,1.3fr)",
      cell: (m) => (
        <>
          <span className={m.privileged ? "block font-semibold" : "block"}>{m.local_group}</span>
          <Breakable text={m.name || m.sid} />
          {m.local && !m.enabled && <span className="block text-second">disabled</span>}
        </>
      ),
    },
    {
      title: "How",
      width: "minmax(140px,1.3fr)",
      cell: (m) => <Breakable text={m.how} />,
    },
    {
      title: "Wanted by",
      width: "minmax(90px,1fr)",
      cell: (m) =>
        m.wanted_by.length > 0 ? m.wanted_by.join(", ") : <span className="font-semibold text-red">nobody</span>,
    },
    { title: "First seen", sort: (m) => m.since, width: "148px", cell: (m) => <When at={m.since} now={now} /> },
  ];
  return (
    <section className="border-t-2 border-ink pt-2">
      <div className="mb-2 flex items-center gap-3">
        <h2 className="grow font-bold">
          Where <Breakable text={principal} /> is {all ? "a member" : "an administrator"}
        </h2>
        <Export
          file="memberships"
          list={list.memberships(principal, all)}
          header={["device", "local group", "member", "identifier", "privileged", "how", "wanted by", "first seen"]}
          row={(m) => [
            m.device,
            m.local_group,
            m.name,
            m.sid,
            m.privileged ? "yes" : "no",
            m.how,
            m.wanted_by.join(", "),
            m.since,
          ]}
        />
      </div>
      <label className="mb-2 flex items-center gap-2">
        <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} />
        In any local group
      </label>
      <PagedRows
        list={found}
        empty="Nowhere, as far as devices have reported."
        label={`Where ${principal} is`}
        narrow
        columns={columns}
        id={(m) => `${m.device_id} ${m.local_group} ${m.sid}`}
      />
    </section>
  );
}
