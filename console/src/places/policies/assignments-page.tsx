import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Assignment } from "@/api/types";
import { useAddEdit } from "@/changes/use-add-edit";
import { Button } from "@/ui/button";
import { useFilters } from "@/ui/filters";
import { Aside, PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { AimForm } from "./aim-form";
import { Forecast } from "./forecast";
import { PolicyParts } from "./parts";

/** All assignments by rank, and the form that aims one. */
export function AssignmentsPage() {
  const mayEdit = useRights()("draft");
  const [params, set] = useFilters();
  const policy = params.get("policy") ?? "";
  const chosen = params.get("assignment") ?? "";
  const assignments = usePages(list.assignments(policy || undefined));
  const policies = useQuery(read.policyNames());
  const current = assignments.items.find((a) => a.name === chosen);
  const columns: Column<Assignment>[] = [
    {
      title: "Rank",
      sort: (a) => a.rank,
      width: "60px",
      right: true,
      cell: (a) => <span className="font-mono font-bold">{a.rank}</span>,
    },
    {
      title: "Assignment",
      sort: (a) => a.name,
      width: "minmax(160px,1fr)",
      cell: (a) => (
        <button
          type="button"
          aria-pressed={a.name === chosen}
          onClick={() => set({ assignment: a.name === chosen ? "" : a.name })}
          className={`text-left font-semibold underline-offset-2 hover:underline ${a.name === chosen ? "text-brass" : ""}`}
        >
          {a.name}
        </button>
      ),
    },
    {
      title: "Policy",
      sort: (a) => a.policy,
      width: "minmax(140px,1fr)",
      cell: (a) => (
        <Link to={`/policies/${a.policy}`}>
          {a.policy} <span className="text-second">revision {a.revision}</span>
        </Link>
      ),
    },
    { title: "Groups", sort: (a) => a.include.join(", "), width: "minmax(200px,1.4fr)", cell: (a) => <Aims of={a} /> },
    {
      title: "Stance",
      sort: (a) => a.stance,
      width: "80px",
      cell: (a) => (a.stance === "trial" ? <span className="text-held">on trial</span> : "enforced"),
    },
  ];
  return (
    <>
      <PageHead
        tab="Assignments"
        title="Policies"
        note="Assignments aim policies at groups, the strongest rank first. Rank 1 outranks rank 2."
      />
      <PolicyParts />
      <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-7 max-[900px]:grid-cols-1">
        <div>
          <PagedRows
            list={assignments}
            empty="No assignments yet. Aim a policy at groups with the form."
            label="Assignments"
            narrow
            columns={columns}
            id={(a) => a.name}
          />
        </div>
        <div>
          {current?.stance === "trial" && <Forecast of={current} mayEdit={mayEdit} />}
          {mayEdit && policies.data && (
            <AimForm
              key={`${current?.name ?? ""} ${current?.version ?? 0}`}
              assignment={current}
              policies={policies.data.items.filter((p) => p.revision > 0).map((p) => p.name)}
            />
          )}
          {mayEdit && current && <Withdraw of={current} />}
        </div>
      </div>
    </>
  );
}

function Aims({ of }: { of: Assignment }) {
  return (
    <>
      {of.include.join(", ")}
      {of.within.length > 0 && <span className="block text-second">within {of.within.join(", ")}</span>}
      {of.exclude.length > 0 && <span className="block text-second">not {of.exclude.join(", ")}</span>}
    </>
  );
}

function Withdraw({ of }: { of: Assignment }) {
  const adding = useAddEdit();
  return (
    <Aside title={`Delete ${of.name}`}>
      <p className="mb-2 text-second">Its devices are settled without it.</p>
      <Button
        disabled={adding.busy}
        onClick={() => adding.add([{ kind: "withdraw", name: of.name, based_on: of.version }])}
      >
        Add the deletion to the change
      </Button>
      {adding.error && <Trouble error={adding.error} />}
      {adding.dialog}
    </Aside>
  );
}
