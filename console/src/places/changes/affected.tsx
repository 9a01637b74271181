import { useState } from "react";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { AffectedDevice } from "@/api/types";
import { Words } from "@/domain/words";
import { Button } from "@/ui/button";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

/** What a change does, device by device, when somebody asks for it. */
export function Affected({ name, version }: { name: string; version: number }) {
  const [shown, setShown] = useState(false);
  return (
    <section className="mb-6 border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">Devices</h2>
      {shown ? (
        <Devices name={name} version={version} />
      ) : (
        <Button onClick={() => setShown(true)}>Show affected devices</Button>
      )}
    </section>
  );
}

function Devices({ name, version }: { name: string; version: number }) {
  const affected = usePages(list.affected(name, version));
  const columns: Column<AffectedDevice>[] = [
    {
      title: "Device",
      sort: (d) => d.device,
      width: "150px",
      cell: (d) => (
        <Link to={`/devices/${d.device}`} className="font-mono">
          {d.device}
        </Link>
      ),
    },
    {
      title: "Effects",
      sort: (d) => d.effects.length,
      width: "minmax(260px,1.3fr)",
      cell: (d) =>
        d.effects.length > 0 ? (
          <ul>
            {d.effects.map((e) => (
              <li key={`${e.unit} ${e.effect} ${e.subject}`} className={e.takes_away ? "text-red" : ""}>
                {e.takes_away && "✕ "}
                <Words>{e.words}</Words>
              </li>
            ))}
          </ul>
        ) : (
          <span className="text-second">{d.reported ? "none" : "unknown: it never reported"}</span>
        ),
    },
    {
      title: "Settings",
      width: "minmax(220px,1fr)",
      cell: (d) =>
        d.settings.map((s) => (
          <span key={s.unit} className="block">
            <span className="font-semibold">{s.title}</span> {s.after_words}
            {!s.supported && <span className="text-second"> (not supported on this device)</span>}
          </span>
        )),
    },
  ];
  return (
    <PagedRows
      list={affected}
      empty="No device is affected."
      label="Affected devices"
      narrow
      columns={columns}
      id={(d) => d.device}
      estimate={60}
    />
  );
}
