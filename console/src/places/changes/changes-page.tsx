import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Change, ChangeSummary } from "@/api/types";
import { ChooseChange } from "@/changes/choose-change";
import { useMine } from "@/changes/use-mine";
import { stateWords } from "@/changes/words";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { StartFromGroup } from "./start-from-group";

const open: Change["state"][] = ["draft", "waiting", "approved", "going_out"];

/** Changes: what is drafted, what waits for a second person, what went out. */
export function ChangesPage() {
  const mayEdit = useRights()("draft");
  const [params, set] = useFilters();
  const now = useNow();
  const navigate = useNavigate();
  const { mine, choose } = useMine();
  const current = "change" in mine ? mine.change.name : "";
  const [starting, setStarting] = useState(false);
  const [fromGroup, setFromGroup] = useState(false);
  const search = params.get("search") ?? "";
  const which = params.get("state") === "all" ? "all" : "open";
  const changes = usePages(list.changes({ ...(which === "open" && { state: open }), ...(search && { search }) }));
  const columns: Column<ChangeSummary>[] = [
    {
      title: "Change",
      sort: (c) => c.title || c.name,
      width: "minmax(260px,1.5fr)",
      cell: (c) => (
        <>
          <Link to={`/changes/${c.name}`} className="font-semibold">
            {c.title || c.name}
          </Link>
          {c.name === current && <span className="ml-2 text-xs font-semibold text-brass">current</span>}
          <span className="block font-mono text-xs text-second">{c.name}</span>
        </>
      ),
    },
    {
      title: "State",
      sort: (c) => c.state,
      width: "170px",
      cell: (c) => (
        <span className={c.state === "waiting" ? "font-semibold text-waiting" : ""}>{stateWords[c.state]}</span>
      ),
    },
    { title: "Edits", sort: (c) => c.edits, width: "60px", right: true, cell: (c) => c.edits },
    { title: "Author", sort: (c) => c.created_by, width: "140px", cell: (c) => c.created_by },
    { title: "Reason", width: "minmax(160px,1fr)", cell: (c) => c.reason },
    {
      title: "Last edited",
      sort: (c) => c.updated_at,
      width: "180px",
      right: true,
      cell: (c) => ago(c.updated_at, now),
    },
  ];
  return (
    <>
      <PageHead
        tab="Changes"
        title="Changes"
        note="Edits that are drafted together, previewed, approved where needed, and applied in one step."
      >
        {mayEdit && (
          <>
            <Button onClick={() => setFromGroup(true)}>Start from a group</Button>
            <Button primary onClick={() => setStarting(true)}>
              Start a change
            </Button>
          </>
        )}
      </PageHead>
      <div className="mb-3 flex items-center gap-5">
        <SearchField
          label="Search changes"
          placeholder="Part of a name or title"
          value={search}
          onChange={(search) => set({ search })}
        />
        <Choices
          label="Which changes"
          value={which}
          choices={[
            { value: "open", label: "Open" },
            { value: "all", label: "All" },
          ]}
          onChange={(state) => set({ state: state === "all" ? "all" : "" })}
        />
      </div>
      <PagedRows
        list={changes}
        empty={search ? "No change matches." : "No open changes. Edits of policies, assignments and groups start one."}
        label="Changes"
        columns={columns}
        id={(c) => c.name}
        estimate={53}
      />
      <StartFromGroup
        open={fromGroup}
        close={() => setFromGroup(false)}
        started={(name) => {
          choose(name);
          navigate(`/changes/${name}`);
        }}
      />
      <ChooseChange
        open={starting}
        close={() => setStarting(false)}
        chosen={(name) => {
          choose(name);
          navigate(`/changes/${name}`);
        }}
      />
    </>
  );
}
