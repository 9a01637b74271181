import { Refusal } from "@/api/client";
import { usePages } from "@/api/pages";
import { list, type TrailFilter } from "@/api/queries";
import type { TrailEntry } from "@/api/types";
import { actions, actorOf, objectOf } from "@/domain/actions";
import { useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { TextButton } from "@/ui/button";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { Nothing, PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { Entry } from "./entry";
import { Proof } from "./proof";

/** Families of actions, as one looks for them. */
const families: Record<string, string> = {
  policy: "policies",
  assignment: "assignments",
  group: "groups",
  change: "changes",
  rollout: "rollouts",
  brake: "what waited for a decision",
  finding: "findings waived",
  waiver: "waivers",
  device: "devices",
  order: "orders",
  password: "passwords viewed",
  reveal: "views approved",
  keys: "keys",
  deposits: "deposits",
  operator: "operators",
  token: "API tokens",
  session: "sign-ins",
  enrolment: "enrolment tokens",
  directory: "directory",
  trail: "the trail itself",
  service: "service",
};

/** The beginning of a day, as people there have it. */
const dayBegins = (day: string | null, later = 0) => {
  if (!day) return undefined;
  const at = new Date(`${day}T00:00:00`);
  at.setDate(at.getDate() + later);
  return Number.isNaN(at.getTime()) ? undefined : at.toISOString();
};

/** What operators, devices and the service did, and what was refused. */
export function TrailPage() {
  const [params, set] = useFilters();
  const now = useNow();
  const outcome = params.get("outcome");
  const filter: TrailFilter = {
    actor: params.get("actor") || undefined,
    action: params.get("action") || undefined,
    device: params.get("device") || undefined,
    outcome: outcome === "done" || outcome === "refused" ? outcome : undefined,
    since: dayBegins(params.get("from")),
    until: dayBegins(params.get("to"), 1),
  };
  const chosen = Number(params.get("entry")) || 0;
  const entries = usePages(list.trail(filter));
  // A name that is still being typed is no device yet.
  const unknown = entries.error instanceof Refusal && entries.error.status === 404;
  const columns: Column<TrailEntry>[] = [
    { title: "Entry", width: "64px", right: true, cell: (e) => e.seq },
    { title: "When", width: "148px", cell: (e) => <When at={e.at} now={now} /> },
    {
      title: "What was done",
      width: "minmax(240px,1fr)",
      cell: (e) => (
        <button
          type="button"
          aria-current={e.seq === chosen}
          onClick={() => set({ entry: String(e.seq) })}
          className={`w-full text-left hover:underline ${e.seq === chosen ? "font-semibold" : ""}`}
        >
          <span className="font-semibold">{actorOf(e)}</span>{" "}
          {e.outcome === "refused" && <span className="text-red">was refused: </span>}
          {actions[e.action] ?? e.action} <span className="break-words">{objectOf(e)}</span>
        </button>
      ),
    },
    { title: "Reason", width: "minmax(90px,0.5fr)", cell: (e) => <span className="text-second">{e.reason}</span> },
  ];
  return (
    <>
      <PageHead tab="Trail" title="Trail" note="What operators, devices and the service did, and what was refused.">
        <Download filter={filter} />
      </PageHead>
      <Filters filter={filter} from={params.get("from") ?? ""} to={params.get("to") ?? ""} set={set} />
      {entries.error && !unknown && <Trouble error={entries.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-7 max-[900px]:grid-cols-1">
        <div>
          {unknown ? (
            <Nothing>No device has the name {filter.device}.</Nothing>
          ) : (
            <PagedRows
              list={entries}
              empty="No entry matches."
              label="Trail"
              narrow
              columns={columns}
              id={(e) => e.seq}
            />
          )}
        </div>
        <div>
          {chosen > 0 && <Entry key={chosen} seq={chosen} close={() => set({ entry: "" })} />}
          <Proof />
        </div>
      </div>
    </>
  );
}

type FiltersProps = {
  filter: TrailFilter;
  from: string;
  to: string;
  set: (changes: Record<string, string>) => void;
};

function Filters({ filter, from, to, set }: FiltersProps) {
  const box = "rounded-sm border border-second bg-sheet px-2 py-1";
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
      <SearchField
        label="Who"
        narrow
        placeholder="Operator, service …"
        value={filter.actor ?? ""}
        onChange={(actor) => set({ actor })}
      />
      <SearchField
        label="Device"
        narrow
        placeholder="Device"
        value={filter.device ?? ""}
        onChange={(device) => set({ device })}
      />
      <label className="flex items-center gap-2">
        <span className="text-second">About</span>
        <select value={filter.action ?? ""} onChange={(event) => set({ action: event.target.value })} className={box}>
          <option value="">anything</option>
          {filter.action && !families[filter.action] && <option value={filter.action}>{filter.action}</option>}
          {Object.entries(families).map(([family, words]) => (
            <option key={family} value={family}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-2">
        <span className="text-second">From</span>
        <input type="date" value={from} onChange={(event) => set({ from: event.target.value })} className={box} />
      </label>
      <label className="flex items-center gap-2">
        <span className="text-second">to</span>
        <input type="date" value={to} onChange={(event) => set({ to: event.target.value })} className={box} />
      </label>
      <Choices
        label="Outcome"
        value={filter.outcome ?? ""}
        choices={[
          { value: "", label: "All" },
          { value: "done", label: "Done" },
          { value: "refused", label: "Refused" },
        ]}
        onChange={(outcome) => set({ outcome })}
      />
      {Object.values(filter).some(Boolean) && (
        <TextButton onClick={() => set({ actor: "", action: "", device: "", outcome: "", from: "", to: "" })}>
          Clear
        </TextButton>
      )}
    </div>
  );
}

/** The trail as a file, which the service writes as it reads. */
function Download({ filter }: { filter: TrailFilter }) {
  const href = (format: string) => {
    const query = new URLSearchParams({ format });
    for (const [name, value] of Object.entries(filter)) if (value) query.set(name, value);
    return `/api/v1/trail/export?${query}`;
  };
  const look = "rounded-sm border border-brass px-3 py-1 font-semibold text-brass hover:no-underline";
  return (
    <>
      <a href={href("csv")} download className={look}>
        Export CSV
      </a>
      <a href={href("jsonl")} download className={look}>
        Export for proof
      </a>
    </>
  );
}
