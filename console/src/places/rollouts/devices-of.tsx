import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { RolloutDevice } from "@/api/types";
import { type Outcome, outcomes } from "@/domain/outcome";
import { TextButton } from "@/ui/button";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

type DevicesProps = { change: string; wave: number; outcome: Outcome | undefined; close: () => void };

/** The devices of a rollout with one outcome, of one wave or of all. */
export function DevicesOf({ change, wave, outcome, close }: DevicesProps) {
  const devices = usePages(list.rolloutDevices(change, { ...(wave > 0 && { wave }), ...(outcome && { outcome }) }));
  const columns: Column<RolloutDevice>[] = [
    {
      title: "Device",
      sort: (d) => d.device,
      width: "200px",
      cell: (d) => <Link to={`/devices/${d.device}`}>{d.device}</Link>,
    },
    { title: "Wave", sort: (d) => d.wave, width: "80px", cell: (d) => d.wave },
    {
      title: "What it made of the change",
      width: "minmax(260px,1fr)",
      cell: (d) => (
        <span className={outcomes[d.outcome].text}>
          <span aria-hidden>{outcomes[d.outcome].glyph}</span> {d.words}
        </span>
      ),
    },
  ];
  return (
    <section className="mb-6 border-t-2 border-ink pt-2">
      <h2 className="mb-2 flex justify-between font-bold">
        <span>
          Devices{outcome && `: ${outcomes[outcome].word}`}
          {wave > 0 && `, wave ${wave}`}
        </span>
        <TextButton onClick={close}>Close</TextButton>
      </h2>
      <PagedRows
        list={devices}
        empty="No device is like that any more."
        label="Devices of the rollout"
        columns={columns}
        id={(d) => d.device_id}
      />
    </section>
  );
}
