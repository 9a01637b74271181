import { Link, useNavigate } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { EditState, PolicySummary } from "@/api/types";
import { useMine } from "@/changes/use-mine";
import { InReach } from "@/domain/reach";
import { StandingBar, total } from "@/domain/standing";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { SearchField, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { PolicyParts } from "./parts";

/** A policy that only one's change has, as a row among those that the service has. */
const onlyDrafted = (edit: EditState, at: string): PolicySummary => ({
  name: edit.name,
  title: /^title:\s*(.+?)\s*$/m.exec(edit.document ?? "")?.[1] ?? "",
  revision: 0,
  updated_at: at,
  updated_by: edit.edited_by,
  assignments: [],
  standings: { in_step: 0, drifted: 0, waiting: 0, held: 0, silent: 0 },
});

/** Policies, with where each is used and how its devices stand. */
export function PoliciesPage() {
  const mayEdit = useRights()("draft");
  const [params, set] = useFilters();
  const navigate = useNavigate();
  const now = useNow();
  const search = params.get("search") || undefined;
  const policies = usePages(list.policies(search));
  const { mine } = useMine();
  const change = "change" in mine ? mine.change : undefined;
  const drafted = (change?.edits ?? []).filter((e) => e.type === "policy" && e.now === 0);
  const items = [
    ...drafted.filter((e) => e.name.includes(search ?? "")).map((e) => onlyDrafted(e, change?.updated_at ?? "")),
    ...policies.items,
  ];
  const columns: Column<PolicySummary>[] = [
    {
      title: "Policy",
      sort: (p) => p.title || p.name,
      width: "minmax(220px,1.2fr)",
      cell: (p) => (
        <>
          <Link to={`/policies/${p.name}`} className="font-semibold">
            {p.title || p.name}
          </Link>
          <span className="block font-mono text-xs text-second">{p.name}</span>
        </>
      ),
    },
    { title: "Revision", sort: (p) => p.revision, width: "80px", right: true, cell: (p) => p.revision || "draft" },
    {
      title: "Used by",
      sort: (p) => p.assignments.length,
      width: "minmax(200px,1fr)",
      cell: (p) =>
        p.assignments.length === 0 ? (
          <span className="text-second">
            {drafted.some((e) => e.name === p.name)
              ? `only in the change ${change?.title || change?.name}`
              : "not used"}
          </span>
        ) : (
          p.assignments.map((a) => (
            <span key={a.name} className="block">
              <span className="inline-block w-12 pr-2 text-right font-semibold">{a.rank}</span> {a.name}
              <span className="text-second">
                {" "}
                to {a.include.join(", ")}
                {a.within.length > 0 && ` within ${a.within.join(", ")}`}
              </span>
              {a.stance === "trial" && <span className="text-waiting"> · on trial</span>}
            </span>
          ))
        ),
    },
    {
      title: "Device standings",
      sort: (p) => total(p.standings),
      width: "240px",
      cell: (p) => (
        <span className="flex items-center gap-3 pt-1.5">
          <StandingBar standings={p.standings} thin />
          <span className="w-10 text-right leading-3">
            <InReach of={total(p.standings)} />
          </span>
        </span>
      ),
    },
    {
      title: "Last edit",
      sort: (p) => p.updated_at,
      width: "200px",
      right: true,
      cell: (p) => `${ago(p.updated_at, now)}, ${p.updated_by}`,
    },
  ];
  return (
    <>
      <PageHead
        tab="Policies"
        title="Policies"
        note="Policies and their assignments to groups. Rank 1 outranks rank 2."
      >
        {mayEdit && (
          <Button primary onClick={() => navigate("/new-policy")}>
            Write a policy
          </Button>
        )}
      </PageHead>
      <PolicyParts />
      <SearchField
        label="Search policies"
        placeholder="Part of a name or title"
        value={search ?? ""}
        onChange={(search) => set({ search })}
      />
      <PagedRows
        list={policies}
        empty={search ? "No policy matches." : "No policies yet. Write the first one."}
        label="Policies"
        items={items}
        columns={columns}
        id={(p) => p.name}
        estimate={53}
      />
    </>
  );
}
