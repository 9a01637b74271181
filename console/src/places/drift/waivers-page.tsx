import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { change } from "@/api/changes";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Waiver } from "@/api/types";
import { ago, stamp, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { TextButton } from "@/ui/button";
import { Choices, useFilters } from "@/ui/filters";
import { PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

const words: Record<Waiver["state"], string> = {
  active: "in effect",
  waiting: "waits for a second person",
  ended: "ended",
};

/** Findings that are accepted for a reason until a day. */
export function WaiversPage() {
  const mayDeploy = useRights()("deploy");
  const [params, set] = useFilters();
  const now = useNow();
  const queries = useQueryClient();
  const state = (params.get("state") as Waiver["state"]) || "active";
  const waivers = usePages(list.waivers(state));
  const acting = useMutation({
    mutationFn: ({ id, act }: { id: string; act: "end" | "agree" | "refuse" }) =>
      act === "end" ? change.endWaiver(id) : change.decideWaiver(id, act === "agree"),
    onSuccess: () => queries.invalidateQueries({ queryKey: list.waivers(undefined).key.slice(0, 1) }),
  });
  const button = (w: Waiver, act: "end" | "agree" | "refuse", label: string) => (
    <TextButton disabled={acting.isPending} onClick={() => acting.mutate({ id: w.id, act })}>
      {label}
      <span className="sr-only">
        {" "}
        the waiver of {w.unit_title} on {w.device}
      </span>
    </TextButton>
  );
  const columns: Column<Waiver>[] = [
    {
      title: "Device",
      sort: (w) => w.device,
      width: "140px",
      cell: (w) => (
        <Link to={`/devices/${w.device}`} className="font-mono font-semibold">
          {w.device}
        </Link>
      ),
    },
    { title: "Setting", sort: (w) => w.unit_title, width: "140px", cell: (w) => w.unit_title },
    { title: "What is accepted", width: "minmax(220px,1.2fr)", cell: (w) => <Words>{w.words}</Words> },
    { title: "Reason", width: "minmax(160px,1fr)", cell: (w) => w.reason },
    {
      title: "Until",
      sort: (w) => w.until,
      width: "170px",
      cell: (w) => (
        <>
          {stamp(w.until)}
          <span className="block text-xs text-second">
            {w.ended_at ? `ended ${ago(w.ended_at, now)} by ${w.ended_by || "nobody"}` : words[w.state]}
          </span>
        </>
      ),
    },
    {
      title: "Made",
      sort: (w) => w.made_at,
      width: "130px",
      cell: (w) => (
        <>
          {ago(w.made_at, now)}
          <span className="block text-xs text-second">
            {w.made_by}
            {w.approved_by && `, agreed by ${w.approved_by}`}
          </span>
        </>
      ),
    },
    ...(mayDeploy && state !== "ended"
      ? [
          {
            title: "Act",
            width: "140px",
            right: true,
            cell: (w: Waiver) =>
              w.state === "waiting" ? (
                <span className="flex justify-end gap-3">
                  {button(w, "refuse", "Refuse")}
                  {button(w, "agree", "Agree")}
                </span>
              ) : (
                button(w, "end", "End now")
              ),
          },
        ]
      : []),
  ];
  return (
    <>
      <PageHead
        tab="Waivers"
        title="Waivers"
        note="Differences that are accepted for a reason until a day. Devices leave them alone until then, and they are no drift."
      >
        <Link to="/drift" className="text-brass underline decoration-current">
          Drift
        </Link>
      </PageHead>
      <div className="mb-3">
        <Choices
          label="Which waivers"
          value={state}
          choices={[
            { value: "active", label: "In effect" },
            { value: "waiting", label: "Waiting" },
            { value: "ended", label: "Ended" },
          ]}
          onChange={(value) => set({ state: value === "active" ? "" : value })}
        />
      </div>
      {acting.error && <Trouble error={acting.error} />}
      <PagedRows
        list={waivers}
        empty="No waivers. Findings are waived on the page of drift."
        label="Waivers"
        columns={columns}
        id={(w) => w.id}
        estimate={53}
      />
    </>
  );
}
