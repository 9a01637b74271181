import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { client, type Group, match, take } from "../api";
import { useFilters } from "../components/filters";
import { OrganisationParts } from "../components/organisation";
import { Aside, Button, Loading, Nothing, PageHead, Trouble } from "../components/parts";
import { type Column, Rows } from "../components/rows";
import { usePages } from "../pages";

/** Groups of devices: listed, or by a rule over what is known of a device. */
export function GroupsPage({ mayEdit }: { mayEdit: boolean }) {
  const [params, set] = useFilters();
  const chosen = params.get("group") ?? "";
  const groups = usePages(["groups", "page"], (cursor) =>
    take(client.GET("/api/v1/groups", { params: { query: { cursor, limit: 200 } } })),
  );
  const items = groups.items;
  const ruled = items.find((g) => g.name === chosen && g.rule);
  const columns: Column<Group>[] = [
    {
      title: "Group",
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
    { title: "Devices", width: "70px", right: true, cell: (g) => g.enrolled },
    {
      title: "Members",
      width: "minmax(220px,1.4fr)",
      cell: (g) =>
        g.rule ? (
          <code className="font-mono text-sm break-words">{g.rule}</code>
        ) : (
          <span className="text-second">{g.listed} listed by name</span>
        ),
    },
    { title: "Description", width: "minmax(180px,1fr)", cell: (g) => g.description },
  ];
  return (
    <>
      <PageHead
        tab="Groups"
        title="Organisation"
        note="Groups of devices: listed by name, or by a rule over device facts."
      />
      <OrganisationParts />
      {groups.error && <Trouble error={groups.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_360px] gap-7">
        <div>
          {groups.pending && <Loading />}
          {groups.read && items.length === 0 && (
            <Nothing>No groups yet. Create one here, or with the command: rankwarden group create</Nothing>
          )}
          {items.length > 0 && (
            <Rows
              label="Groups"
              narrow
              items={items}
              columns={columns}
              id={(g) => g.name}
              more={groups.more}
              readMore={groups.readMore}
            />
          )}
        </div>
        <div>
          {chosen && <Members name={chosen} />}
          {mayEdit && <RuleForm key={ruled?.name ?? ""} group={ruled} />}
        </div>
      </div>
    </>
  );
}

function Members({ name }: { name: string }) {
  const members = useQuery({
    queryKey: ["group-devices", name],
    queryFn: () =>
      take(client.GET("/api/v1/groups/{name}/devices", { params: { path: { name }, query: { limit: 12 } } })),
  });
  return (
    <Aside title={`Devices of ${name}`}>
      {members.error && <Trouble error={members.error} />}
      {members.data?.items.length === 0 && <p className="text-second">No members.</p>}
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

const facts = "name, platform, os_version, os_build, model, serial, path, tags, primary_user";

/** Makes a group by rule, or changes the rule of one; says first for whom it would hold. */
function RuleForm({ group }: { group: Group | undefined }) {
  const queries = useQueryClient();
  const [name, setName] = useState(group?.name ?? "");
  const [rule, setRule] = useState(group?.rule ?? "");
  const [base, setBase] = useState(group); // the group as it was when one began to type
  const moved = group !== undefined && base !== undefined && group.version !== base.version;
  if (moved && (rule === base.rule || rule === group.rule)) {
    setBase(group);
    setRule(group.rule);
  }
  const tried = useMutation({
    mutationFn: () => take(client.POST("/api/v1/rule-trial", { body: { rule } })),
  });
  const saved = useMutation({
    mutationFn: () =>
      group
        ? take(
            client.PATCH("/api/v1/groups/{name}", {
              params: { path: { name: group.name }, header: { "If-Match": match((base ?? group).version) } },
              body: { rule },
            }),
          )
        : take(client.POST("/api/v1/groups", { body: { name, rule } })),
    onSuccess: (now) => {
      if (group) {
        setBase({ ...group, rule, version: now.version });
        setRule(rule);
      }
      queries.invalidateQueries({ queryKey: ["groups"] });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    saved.mutate();
  };
  const error = saved.error ?? tried.error;
  return (
    <Aside title={group ? `Rule of ${group.name}` : "New group by rule"}>
      <form onSubmit={submit} className="space-y-2">
        {!group && (
          <label className="block">
            <span className="text-second">Name</span>
            <input
              name="group"
              required
              value={name}
              onChange={(event) => setName(event.target.value)}
              className="w-full rounded-sm border border-second bg-sheet px-2 py-1 font-mono"
            />
          </label>
        )}
        <label className="block">
          <span className="text-second">Rule, over device. {facts}</span>
          <textarea
            name="rule"
            required
            rows={3}
            value={rule}
            onChange={(event) => setRule(event.target.value)}
            placeholder={'"kiosk" in device.tags && device.os_build >= 22631'}
            className="w-full rounded-sm border border-second bg-sheet px-2 py-1 font-mono text-sm"
          />
        </label>
        {moved && rule !== group.rule && (
          <div role="alert" className="border-l-4 border-brass bg-sheet px-3 py-2">
            <p>
              Somebody else changed this rule to <code className="font-mono break-words">{group.rule}</code> while you
              were typing.
            </p>
            <div className="mt-2 flex gap-2">
              <Button onClick={() => setBase(group)}>Keep my changes</Button>
              <Button onClick={() => setRule(group.rule)}>Use their version</Button>
            </div>
          </div>
        )}
        <div className="flex gap-2">
          <Button onClick={() => tried.mutate()} disabled={!rule || tried.isPending}>
            Preview members
          </Button>
          <Button primary type="submit" disabled={!rule || !name || saved.isPending || rule === group?.rule}>
            {group ? "Save rule" : "Create group"}
          </Button>
        </div>
      </form>
      {error && <Trouble error={error} />}
      {saved.isSuccess && (
        <p role="status" className="mt-2 text-green">
          ✓ Saved. Its devices are settled again now.
        </p>
      )}
      {tried.data && !tried.error && (
        <p role="status" className="mt-2">
          Matches <b>{tried.data.holds}</b> {tried.data.holds === 1 ? "device" : "devices"}
          {tried.data.examples.length > 0 && `, for example ${tried.data.examples.slice(0, 3).join(", ")}`}.
          {tried.data.unknown > 0 && (
            <span className="text-held">
              {" "}
              Unknown for {tried.data.unknown}: a fact is not reported yet, so their settings are held until then.
            </span>
          )}
        </p>
      )}
    </Aside>
  );
}
