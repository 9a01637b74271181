import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Finding, FindingSum } from "@/api/types";
import { GroupFilter } from "@/domain/group-filter";
import { ago, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { TextButton } from "@/ui/button";
import { Export } from "@/ui/export";
import { Choices, useFilters } from "@/ui/filters";
import { Aside, PageHead, Trouble } from "@/ui/page";
import { Paged } from "@/ui/paged";
import { type Column, Rows } from "@/ui/rows";
import { BySide, type Side } from "./by-side";
import { CountRow, counted } from "./count-row";
import { ReApply } from "./re-apply";
import { Waive } from "./waive";

type State = Finding["state"];
type Filter = {
  state: State;
  unit?: string;
  kind?: string;
  group?: string;
  assignment?: string;
  device?: string;
};

const kinds: Record<string, string> = {
  wrong_value: "different value",
  account_missing: "account missing",
  account_present: "account should be absent",
  account_state: "account enabled or disabled",
  account_name: "different account name",
  account_detail: "different account details",
  rotation_never: "password never rotated",
  rotation_overdue: "password overdue",
  changed_elsewhere: "password changed elsewhere",
  member_missing: "member missing",
  member_extra: "extra member",
  member_forbidden: "forbidden member",
  group_missing: "local group missing",
  unit_unsupported: "not supported",
  apply_failed: "change failed",
  account_left_behind: "account left behind",
  name_in_use: "name in use",
};

const exported = ["device", "unit", "kind", "subject", "what differs", "rule of", "state", "first seen", "closed"];

/** Where devices differ from what is asked, and whose rule it breaks. */
export function DriftPage() {
  const may = useRights();
  const [params, set] = useFilters();
  const filter: Filter = {
    state: (params.get("state") as State) || "open",
    unit: params.get("unit") || undefined,
    kind: params.get("kind") || undefined,
    group: params.get("group") || undefined,
    assignment: (!params.get("state") && params.get("assignment")) || undefined,
    device: params.get("device") || undefined,
  };
  const side = (params.get("by") as Side) || "assignment";
  const sums = useQuery({ ...read.findingSums(filter.state, filter.group), placeholderData: keepPreviousData });
  const findings = usePages(list.findings(filter));
  const items = findings.items;
  const choose = (unit: string, kind: string) => {
    const chosen = filter.unit === unit && filter.kind === kind;
    set(chosen ? { unit: "", kind: "" } : { unit, kind });
  };
  return (
    <>
      <PageHead
        tab="Drift"
        title="Drift"
        note="Where devices differ from their desired state, and which assignments decided it."
      >
        <Link to="/waivers" className="text-brass underline decoration-current">
          Waivers
        </Link>
        <Link to="/events" className="text-brass underline decoration-current">
          Events
        </Link>
        <Export
          file="findings.csv"
          header={exported}
          list={list.findings(filter)}
          row={(f) => [
            f.device,
            f.unit,
            f.kind,
            f.subject,
            f.words,
            f.assignments.join(" "),
            f.state,
            f.first_seen,
            f.closed_at ?? "",
          ]}
        />
      </PageHead>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <Choices
          label="State"
          value={filter.state}
          onChange={(value) => set({ state: value === "open" ? "" : value, assignment: "" })}
          choices={[
            { value: "open", label: "open" },
            { value: "waived", label: "waived" },
            { value: "corrected", label: "corrected by the device" },
            { value: "closed", label: "closed" },
          ]}
        />
        {filter.device && <TextButton onClick={() => set({ device: "" })}>Only {filter.device} ✕</TextButton>}
        <GroupFilter value={filter.group ?? ""} onChange={(group) => set({ group: group })} />
        {filter.state === "open" && items.length > 0 && may("handle") && <ReApply findings={list.findings(filter)} />}
        {filter.state === "open" && items.length > 0 && may("deploy") && <Waive findings={list.findings(filter)} />}
      </div>
      {findings.error && <Trouble error={findings.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-7">
        <div>
          <Paged
            list={findings}
            empty={
              filter.unit || filter.group || filter.assignment || filter.device
                ? "No finding matches. Remove a filter to see more."
                : filter.state === "open"
                  ? "No device differs from its desired state."
                  : "No findings."
            }
          >
            <FindingRows items={items} more={findings.more} readMore={findings.readMore} />
          </Paged>
        </div>
        <div>
          {filter.state === "open" && (
            <BySide
              side={side}
              look={(by) => set({ by: by === "assignment" ? "" : by })}
              narrow={{
                ...(filter.unit && { unit: filter.unit }),
                ...(filter.kind && { kind: filter.kind }),
                ...(side !== "group" && filter.group && { group: filter.group }),
              }}
              chosen={filter[side] ?? ""}
              choose={(name) => set({ [side]: name })}
            />
          )}
          <Sums
            title="By setting and kind"
            sums={sums.data?.items.filter((s) => !cannot(s)) ?? []}
            filter={filter}
            choose={choose}
          />
          <Sums
            title="Not supported by the platform"
            sums={sums.data?.items.filter(cannot) ?? []}
            filter={filter}
            choose={choose}
          />
        </div>
      </div>
    </>
  );
}

/** What nobody can put right on the device: it is listed apart, and not in red. */
const cannot = (of: { kind: string }) => of.kind === "unit_unsupported";

type SumsProps = { title: string; sums: FindingSum[]; filter: Filter; choose: (unit: string, kind: string) => void };

function Sums({ title, sums, filter, choose }: SumsProps) {
  if (sums.length === 0) return null;
  return (
    <Aside title={title}>
      <ul>
        {sums.map((sum) => (
          <CountRow
            key={`${sum.unit} ${sum.kind}`}
            title={sum.unit_title}
            {...(!cannot(sum) && { note: kinds[sum.kind] ?? sum.kind })}
            count={counted(sum.devices, "device")}
            chosen={filter.unit === sum.unit && filter.kind === sum.kind}
            choose={() => choose(sum.unit, sum.kind)}
          />
        ))}
      </ul>
    </Aside>
  );
}

function FindingRows({ items, more, readMore }: { items: Finding[]; more: boolean; readMore: () => void }) {
  const now = useNow();
  const columns: Column<Finding>[] = [
    {
      title: "Device",
      sort: (f) => f.device,
      width: "130px",
      cell: (f) => (
        <Link to={`/devices/${f.device}`} className="font-mono font-semibold">
          {f.device}
        </Link>
      ),
    },
    { title: "Setting", sort: (f) => f.unit_title, width: "130px", cell: (f) => f.unit_title },
    {
      title: "Finding",
      sort: (f) => f.kind,
      width: "minmax(240px,1fr)",
      cell: (f) => (
        <span className={f.state === "open" && !cannot(f) ? "text-red" : ""}>
          <Words>{f.words}</Words>
          {f.came_back > 0 && (
            <Link
              to={`/drift?state=${f.last_state}&device=${f.device}&unit=${f.unit}&kind=${f.kind}`}
              className="block text-xs text-held"
            >
              ↺ came back: closed {f.came_back === 1 ? "once" : `${f.came_back} times`} before, last{" "}
              {ago(f.last_closed, now)}
            </Link>
          )}
        </span>
      ),
    },
    {
      title: "Decided by",
      sort: (f) => f.assignments.join(", "),
      width: "150px",
      cell: (f) => f.assignments.join(", "),
    },
    { title: "First seen", sort: (f) => f.first_seen, width: "90px", right: true, cell: (f) => ago(f.first_seen, now) },
  ];
  return (
    <Rows
      label="Findings"
      items={items}
      columns={columns}
      id={(f) => f.id}
      more={more}
      readMore={readMore}
      estimate={53}
    />
  );
}
