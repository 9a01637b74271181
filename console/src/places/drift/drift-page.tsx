import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Finding, FindingSum } from "@/api/types";
import { numberOf } from "@/domain/count";
import { GroupFilter } from "@/domain/group-filter";
import { type Chip, FilterChips } from "@/ui/chips";
import { Export } from "@/ui/export";
import { Choices, useFilters } from "@/ui/filters";
import { Aside, PageHead, Trouble } from "@/ui/page";
import { Paged } from "@/ui/paged";
import { BySide, type Side } from "./by-side";
import { Chosen } from "./chosen";
import { CountRow } from "./count-row";
import { FindingRows } from "./finding-rows";
import { cannot, kinds } from "./kinds";

type State = Finding["state"];
type Filter = {
  state: State;
  unit?: string;
  kind?: string;
  group?: string;
  assignment?: string;
  device?: string;
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
  const mayAct = filter.state === "open" && (may("handle") || may("deploy"));
  // What is chosen holds for the list that one sees: another filter begins anew.
  const of = JSON.stringify(filter);
  const [picked, setPicked] = useState<{ of: string; findings: Finding[] }>({ of: "", findings: [] });
  const listed = new Set(items.map((f) => f.id));
  const chosen = picked.of === of ? picked.findings.filter((f) => findings.more || listed.has(f.id)) : [];
  const numbers = new Set(chosen.map((f) => f.id));
  const pick = (list: Finding[]) => setPicked({ of, findings: list });
  const toggle = (row: Finding[]) => {
    const others = chosen.filter((f) => !row.some((r) => r.id === f.id));
    pick(row.every((f) => numbers.has(f.id)) ? others : [...others, ...row]);
  };
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
        <GroupFilter value={filter.group ?? ""} onChange={(group) => set({ group: group })} />
      </div>
      <div className="mb-3 space-y-2">
        <FilterChips
          chips={chipsOf(filter, sums.data?.items ?? [])}
          remove={(names) => set(Object.fromEntries(names.map((name) => [name, ""])))}
        />
        {mayAct && (items.length > 0 || findings.pending) && (
          <Chosen listed={list.findings(filter)} chosen={chosen} choose={pick} />
        )}
      </div>
      {findings.error && <Trouble error={findings.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-7 max-[900px]:grid-cols-1">
        <div data-tour="findings">
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
            <FindingRows
              items={items}
              more={findings.more}
              readMore={findings.readMore}
              chosen={numbers}
              toggle={mayAct ? toggle : undefined}
            />
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

/** The filters that hold, in words. */
function chipsOf(filter: Filter, sums: FindingSum[]): Chip[] {
  const title = sums.find((s) => s.unit === filter.unit)?.unit_title ?? filter.unit;
  return [
    { name: "device", words: filter.device && `on ${filter.device}` },
    { name: "unit", words: filter.unit && `setting: ${title}` },
    { name: "kind", words: filter.kind && (kinds[filter.kind] ?? filter.kind) },
    { name: "assignment", words: filter.assignment && `decided by ${filter.assignment}` },
    { name: "group", words: filter.group && `group ${filter.group}` },
  ].flatMap(({ name, words }) => (words ? [{ name, words }] : []));
}

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
            count={numberOf(sum.devices, "device")}
            chosen={filter.unit === sum.unit && filter.kind === sum.kind}
            choose={() => choose(sum.unit, sum.kind)}
          />
        ))}
      </ul>
    </Aside>
  );
}
