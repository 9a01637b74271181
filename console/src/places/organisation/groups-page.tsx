import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import { useReach, useRights } from "@/api/rights";
import type { Group } from "@/api/types";
import { useAddEdit } from "@/changes/use-add-edit";
import { InReach } from "@/domain/reach";
import { Button } from "@/ui/button";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { Aside, PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { ListForm } from "./list-form";
import { OrganisationParts } from "./parts";
import { RuleForm } from "./rule-form";

/** Groups of devices: listed, or by a rule over what is known of a device. */
export function GroupsPage() {
  const mayEdit = useRights()("draft");
  const [params, set] = useFilters();
  const chosen = params.get("group") ?? "";
  const search = params.get("search") ?? "";
  const kind = params.get("new") === "rule" ? "rule" : "list";
  const groups = usePages(list.groups(search || undefined));
  const items = groups.items;
  const group = items.find((g) => g.name === chosen);
  const columns: Column<Group>[] = [
    {
      title: "Group",
      sort: (g) => g.name,
      width: "160px",
      cell: (g) => (
        <button
          type="button"
          aria-pressed={g.name === chosen}
          onClick={() => set({ group: g.name === chosen ? "" : g.name })}
          className={`text-left font-semibold underline-offset-2 hover:underline ${g.name === chosen ? "text-brass" : ""}`}
        >
          {g.name}
        </button>
      ),
    },
    {
      title: "Devices",
      sort: (g) => g.enrolled,
      width: "70px",
      right: true,
      cell: (g) => <InReach of={g.enrolled} group={g.name} />,
    },
    {
      title: "Members",
      sort: (g) => g.rule || g.listed,
      width: "minmax(220px,1.4fr)",
      cell: (g) =>
        g.rule ? (
          <code className="font-mono text-sm break-words">{g.rule}</code>
        ) : (
          <span className="text-second">
            <InReach of={g.listed} group={g.name} /> listed by name
          </span>
        ),
    },
    { title: "Description", sort: (g) => g.description ?? "", width: "minmax(180px,1fr)", cell: (g) => g.description },
  ];
  return (
    <>
      <PageHead tab="Groups" title="Groups" note="Groups of devices: listed by name, or by a rule over device facts." />
      <OrganisationParts />
      <div className="mb-3">
        <SearchField
          label="Search groups"
          placeholder="Part of a name"
          value={search}
          onChange={(search) => set({ search })}
        />
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_360px] gap-7 max-[900px]:grid-cols-1">
        <div>
          <PagedRows
            list={groups}
            empty="No groups yet. Create one here, or with the command: rankwarden group create"
            label="Groups"
            narrow
            items={items}
            columns={columns}
            id={(g) => g.name}
          />
        </div>
        <div>
          {chosen && <Members name={chosen} />}
          {chosen && <Uses name={chosen} />}
          {mayEdit && !group && (
            <div className="mb-3">
              <Choices
                label="Kind of new group"
                value={kind}
                choices={[
                  { value: "list", label: "List devices" },
                  { value: "rule", label: "Write a rule" },
                ]}
                onChange={(next) => set({ new: next === "rule" ? "rule" : "" })}
              />
            </div>
          )}
          {/* Both halves of a new group stay, so that nothing typed is lost while one looks at the other. */}
          {mayEdit && (group ? group.rule !== "" : true) && (
            <div hidden={!group && kind !== "rule"}>
              <RuleForm key={group?.name ?? ""} group={group} />
            </div>
          )}
          {mayEdit && (group ? group.rule === "" : true) && (
            <div hidden={!group && kind !== "list"}>
              <ListForm key={group?.name ?? ""} group={group} />
            </div>
          )}
          {mayEdit && group && <Delete group={group} />}
        </div>
      </div>
    </>
  );
}

/** Which assignments name the group. */
function Uses({ name }: { name: string }) {
  const assignments = useQuery(read.assignments());
  const uses = (assignments.data?.items ?? []).filter((a) => [...a.include, ...a.exclude, ...a.within].includes(name));
  return (
    <Aside title="Used by">
      {uses.length === 0 && <p className="text-second">No assignment names it.</p>}
      <ul>
        {uses.map((a) => (
          <li key={a.name}>
            <Link to={`/assignments?assignment=${encodeURIComponent(a.name)}`} className="font-semibold">
              {a.name}
            </Link>{" "}
            <span className="text-second">
              {a.include.includes(name) ? "includes it" : a.exclude.includes(name) ? "excludes it" : "is within it"}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

function Delete({ group }: { group: Group }) {
  const adding = useAddEdit();
  return (
    <Aside title={`Delete ${group.name}`}>
      <p className="mb-2 text-second">Possible while no assignment and no operator's reach names it.</p>
      <Button
        disabled={adding.busy}
        onClick={() => adding.add([{ kind: "drop_group", name: group.name, based_on: group.version }])}
      >
        Add the deletion to the change
      </Button>
      {adding.error && <Trouble error={adding.error} />}
      {adding.dialog}
    </Aside>
  );
}

function Members({ name }: { name: string }) {
  const members = useQuery(read.groupDevices(name));
  const { limited, groups } = useReach();
  return (
    <Aside title={`Devices of ${name}`}>
      {members.error && <Trouble error={members.error} />}
      {members.data?.items.length === 0 && (
        <p className="text-second">{limited && !groups.includes(name) ? "None in your reach." : "No members."}</p>
      )}
      <ul className="columns-2">
        {members.data?.items.map((m) => (
          <li key={m.device} className="font-mono">
            {m.device_id ? <Link to={`/devices/${m.device}`}>{m.device}</Link> : m.device}
            {!m.certain && <span className="text-held"> ?</span>}
          </li>
        ))}
      </ul>
      {members.data?.items.some((m) => !m.certain) && (
        <p className="text-second">? unknown: this device has not reported a fact that the rule reads.</p>
      )}
      {members.data?.next && (
        <p>
          <Link to={`/devices?group=${encodeURIComponent(name)}`} className="text-brass underline decoration-current">
            Show all
          </Link>
        </p>
      )}
    </Aside>
  );
}
