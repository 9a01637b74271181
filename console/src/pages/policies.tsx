import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { client, type PolicySummary, take } from "../api";
import { useFilters } from "../components/filters";
import { Button, Loading, Nothing, PageHead, Trouble } from "../components/parts";
import { type Column, Rows } from "../components/rows";
import { StandingBar, total } from "../components/standing";
import { ago, useNow } from "../time";

/** Policies, with where each is used and how its devices stand. */
export function PoliciesPage({ mayEdit }: { mayEdit: boolean }) {
  const [params, set] = useFilters();
  const navigate = useNavigate();
  const now = useNow();
  const search = params.get("search") || undefined;
  const policies = useInfiniteQuery({
    queryKey: ["policies", search],
    queryFn: ({ pageParam }) =>
      take(client.GET("/api/v1/policies", { params: { query: { search, cursor: pageParam, limit: 100 } } })),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: keepPreviousData,
  });
  const items = policies.data?.pages.flatMap((page) => page.items) ?? [];
  const columns: Column<PolicySummary>[] = [
    {
      title: "Policy",
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
    { title: "Revision", width: "80px", right: true, cell: (p) => p.revision || "draft" },
    {
      title: "Used by",
      width: "minmax(200px,1fr)",
      cell: (p) =>
        p.assignments.length === 0 ? (
          <span className="text-second">nothing yet</span>
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
      title: "How its devices stand",
      width: "240px",
      cell: (p) => (
        <span className="flex items-center gap-3 pt-1.5">
          <StandingBar standings={p.standings} thin />
          <span className="w-10 text-right leading-3">{total(p.standings)}</span>
        </span>
      ),
    },
    { title: "Last edit", width: "200px", right: true, cell: (p) => `${ago(p.updated_at, now)}, ${p.updated_by}` },
  ];
  return (
    <>
      <PageHead
        title="Policies"
        note="What is asked of devices. Assignments aim policies at groups; rank 1 outranks 2."
      >
        {mayEdit && (
          <Button primary onClick={() => navigate("/new-policy")}>
            Write a policy
          </Button>
        )}
      </PageHead>
      <input
        type="search"
        aria-label="Search policies"
        placeholder="Part of a name or title"
        defaultValue={search}
        onChange={(event) => set({ search: event.target.value.trim() })}
        className="mb-3 w-64 rounded-sm border border-second bg-sheet px-3 py-1"
      />
      {policies.error && <Trouble error={policies.error} />}
      {policies.isPending && <Loading />}
      {policies.data && items.length === 0 && (
        <Nothing>{search ? "No policy is called that." : "There is no policy yet. Write the first one."}</Nothing>
      )}
      {items.length > 0 && (
        <Rows
          label="Policies"
          items={items}
          columns={columns}
          id={(p) => p.name}
          more={policies.hasNextPage}
          readMore={() => policies.isFetching || policies.fetchNextPage()}
          estimate={53}
        />
      )}
    </>
  );
}
