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
import { rightNames } from "./roles";
import { RolesExplained } from "./roles-explained";

/** The roles of an operator, each with its reach; roles of one reach together. */
function Roles({ of }: { of: Operator }) {
  if (of.roles.length === 0) return <span className="text-second">none: may do nothing</span>;
  const reaches = new Map<string, string[]>();
  for (const { role, groups } of of.roles) {
    const where = groups.length === 0 ? "every device" : groups.join(", ");
    reaches.set(where, [...(reaches.get(where) ?? []), role]);
  }
  return (
    <ul>
      {[...reaches].map(([where, held]) => (
        <li key={where}>
          <span className="font-semibold">{held.join(", ")}</span>{" "}
          <span className="text-second">
            on {where === "every device" ? where : <span className="font-mono text-sm">{where}</span>}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** What somebody comes to, the weightiest first: what one looks for in a list of who may do what. */
const weighty: Operator["rights"][number]["right"][] = ["administer", "deploy", "reveal", "handle", "draft", "trail"];

function May({ of }: { of: Operator }) {
  const held = weighty.filter((right) => of.rights.some((r) => r.right === right));
  return held.length === 0 ? <span className="text-second">look</span> : held.map((r) => rightNames[r]).join(", ");
}

/** Who may do what where: operators with their roles and reach, and what each role may. */
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
    { title: "Roles, and on which devices", width: "minmax(220px,2.2fr)", cell: (o) => <Roles of={o} /> },
    { title: "May", width: "minmax(150px,1.4fr)", cell: (o) => <May of={o} /> },
  ];
  return (
    <>
      <PageHead tab="Operators" title="Operators" note="Who may do what, on which devices.">
        {chosen && <Button onClick={() => set({ operator: "" })}>New operator</Button>}
      </PageHead>
      <OrganisationParts />
      <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-7 max-[900px]:grid-cols-1">
        <div>
          <PagedRows
            list={operators}
            empty="No operators."
            label="Operators"
            narrow
            columns={columns}
            id={(o) => o.name}
          />
          <RolesExplained />
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
