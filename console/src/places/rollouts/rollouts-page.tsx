import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { RolloutSummary } from "@/api/types";
import { devicesOf, OutcomeBar, RolloutState, tallyWords } from "@/domain/outcome";
import { ago, useNow } from "@/domain/time";
import { Choices, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

/** Rollouts: changes on their way to the devices, and those that have ended. */
export function RolloutsPage() {
  const [params, set] = useFilters();
  const now = useNow();
  const which = params.get("state") === "all" ? "all" : "under_way";
  const rollouts = usePages(list.rollouts(which === "under_way"));
  const columns: Column<RolloutSummary>[] = [
    {
      title: "Change",
      sort: (r) => r.title || r.change,
      width: "minmax(220px,1fr)",
      cell: (r) => (
        <>
          <Link to={`/rollouts/${r.change}`} className="font-semibold">
            {r.title || r.change}
          </Link>
          <span className="block font-mono text-xs text-second">{r.change}</span>
        </>
      ),
    },
    { title: "State", sort: (r) => r.state, width: "120px", cell: (r) => <RolloutState state={r.state} /> },
    { title: "Waves", width: "80px", cell: (r) => `${r.open_waves} of ${r.waves}` },
    {
      title: "Devices",
      sort: (r) => devicesOf(r.tally),
      width: "minmax(200px,1fr)",
      cell: (r) => (
        <>
          <OutcomeBar tally={r.tally} />
          <span className="text-xs text-second">{tallyWords(r.tally)}</span>
        </>
      ),
    },
    { title: "Last decision", width: "minmax(220px,1.4fr)", cell: (r) => r.said },
    {
      title: "Started",
      sort: (r) => r.started_at,
      width: "150px",
      cell: (r) => (
        <>
          {ago(r.started_at, now)}
          <span className="block text-xs text-second">{r.started_by}</span>
        </>
      ),
    },
  ];
  return (
    <>
      <PageHead
        tab="Rollouts"
        title="Rollouts"
        note="A rollout takes a change to its devices in waves. The next wave opens when the last one has passed its gate."
      />
      <div className="mb-3">
        <Choices
          label="Which rollouts"
          value={which}
          choices={[
            { value: "under_way", label: "Under way" },
            { value: "all", label: "All" },
          ]}
          onChange={(state) => set({ state: state === "all" ? "all" : "" })}
        />
      </div>
      <PagedRows
        list={rollouts}
        empty={
          which === "all" ? "No change went out in waves yet." : "No rollout is under way. Open a change to start one."
        }
        label="Rollouts"
        columns={columns}
        id={(r) => r.change}
        estimate={53}
      />
    </>
  );
}
