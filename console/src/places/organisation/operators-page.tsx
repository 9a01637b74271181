import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { Operator } from "@/api/types";
import { Button } from "@/ui/button";
import { useFilters } from "@/ui/filters";
import { Aside, PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { EditOperator } from "./edit-operator";
import { NewOperator } from "./new-operator";
import { OrganisationParts } from "./parts";
import { roles } from "./roles";

/** How far a role of an operator reaches, in a cell. */
function Reach({ of, role }: { of: Operator; role: string }) {
  const held = of.roles.find((r) => r.role === role);
  if (!held) return <span className="sr-only">no</span>;
  if (held.groups.length === 0)
    return (
      <span title="on every device" className="font-semibold">
        all
      </span>
    );
  return <span className="break-words">{held.groups.join(", ")}</span>;
}

/** Who may do what where, as a matrix of operators and roles. */
export function OperatorsPage() {
  const [params, set] = useFilters();
  const operators = usePages(list.operators());
  const chosen = operators.items.find((o) => o.name === params.get("operator"));
  const columns: Column<Operator>[] = [
    {
      title: "Operator",
      sort: (o) => o.name,
      width: "minmax(150px,1.4fr)",
      cell: (o) => (
        <button
          type="button"
          aria-current={o === chosen}
          onClick={() => set({ operator: o.name })}
          className="w-full text-left font-semibold break-words hover:underline"
        >
          {o.name}
          {o.disabled && <span className="block font-normal text-red">may not sign in</span>}
          {o.sealed && <span className="block font-normal text-held">sealed</span>}
          {o.at_provider && <span className="block font-normal text-second">by the provider</span>}
        </button>
      ),
    },
    ...roles.map((role) => ({
      title: role,
      width: "minmax(76px,1fr)",
      cell: (o: Operator) => <Reach of={o} role={role} />,
    })),
  ];
  return (
    <>
      <PageHead tab="Operators" title="Operators" note="Operators: who may do what, on which devices.">
        {chosen && <Button onClick={() => set({ operator: "" })}>New operator</Button>}
      </PageHead>
      <OrganisationParts />
      <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-7">
        <div>
          <PagedRows
            list={operators}
            empty="No operators."
            label="Operators"
            narrow
            columns={columns}
            id={(o) => o.name}
          />
        </div>
        <div>
          {chosen ? (
            <EditOperator key={chosen.name} of={chosen} />
          ) : (
            <Aside title="New operator">
              <NewOperator made={(name) => set({ operator: name })} />
            </Aside>
          )}
        </div>
      </div>
    </>
  );
}
