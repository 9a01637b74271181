import { type Delivery, organisation } from "@/api/organisation";
import { usePages } from "@/api/pages";
import { ago, useNow } from "@/domain/time";
import { Select } from "@/ui/field";
import { useFilters } from "@/ui/filters";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { eventKinds, eventWords } from "./event-kinds";

const looks: Record<Delivery["state"], { glyph: string; color: string }> = {
  waiting: { glyph: "◔", color: "text-waiting" },
  delivered: { glyph: "●", color: "text-green" },
  failed: { glyph: "◆", color: "text-red" },
};

/** What was delivered, waits or failed, latest first. */
export function Deliveries() {
  const now = useNow();
  const [params, set] = useFilters();
  const state = (params.get("state") || undefined) as Delivery["state"] | undefined;
  const deliveries = usePages(
    organisation.deliveries({
      target: params.get("target") || undefined,
      state,
      event: params.get("event") || undefined,
    }),
  );
  const columns: Column<Delivery>[] = [
    { title: "Happened", width: "96px", cell: (d) => <span title={d.at}>{ago(d.at, now)}</span> },
    { title: "Target", width: "minmax(80px,0.5fr)", cell: (d) => d.target },
    {
      title: "State",
      width: "106px",
      cell: (d) => (
        <span className={looks[d.state].color}>
          {looks[d.state].glyph} {d.state}
        </span>
      ),
    },
    {
      title: "Message",
      width: "minmax(220px,2fr)",
      cell: (d) => (
        <>
          <span className="block break-words">{d.message}</span>
          {d.error && (
            <span className="block text-second">
              {d.attempts} {d.attempts === 1 ? "attempt" : "attempts"}: {d.error}
            </span>
          )}
        </>
      ),
    },
  ];
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h2 className="grow text-lg font-bold">Deliveries</h2>
        <Select
          label="State"
          value={state ?? ""}
          onChange={(value) => set({ state: value })}
          options={["", "waiting", "delivered", "failed"].map((value) => ({ value, label: value || "all" }))}
        />
        <Select
          label="Event"
          value={params.get("event") ?? ""}
          onChange={(value) => set({ event: value })}
          options={[
            { value: "", label: "all" },
            ...eventKinds.map((e) => ({ value: e.kind, label: eventWords(e.kind) })),
          ]}
        />
      </div>
      <PagedRows
        list={deliveries}
        empty="No deliveries."
        label="Deliveries"
        narrow
        columns={columns}
        id={(d) => d.id}
      />
    </>
  );
}
