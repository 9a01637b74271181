import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import type { Device, Standing } from "@/api/types";
import { GroupFilter } from "@/domain/group-filter";
import { looks, order, StandingWord, total } from "@/domain/standing";
import { ago, useNow } from "@/domain/time";
import { Export } from "@/ui/export";
import { Select } from "@/ui/field";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead, Trouble } from "@/ui/page";
import { Paged } from "@/ui/paged";
import { type Column, Rows } from "@/ui/rows";

type Filter = { search?: string; standing?: Standing; group?: string; unknown_accounts?: "some" | "privileged" };

const exported = [
  "device",
  "standing",
  "findings",
  "model",
  "serial",
  "path",
  "tags",
  "primary user",
  "platform",
  "version",
  "desired",
  "reported",
  "heard from",
];

/** All devices, with fast search; what is chosen is in the URL. */
export function DevicesPage() {
  const [params, set] = useFilters();
  const filter: Filter = {
    search: params.get("search") || undefined,
    standing: (params.get("standing") as Standing) || undefined,
    group: params.get("group") || undefined,
    unknown_accounts: (params.get("accounts") as Filter["unknown_accounts"]) || undefined,
  };
  const { standing: _, ...withoutStanding } = filter;
  const counts = useQuery({ ...read.standings(withoutStanding), placeholderData: keepPreviousData });
  const devices = usePages(list.devices(filter));
  const items = devices.items;
  return (
    <>
      <PageHead tab="Devices" title="Devices" note="Devices and their last reported state.">
        <Export
          file="devices.csv"
          header={exported}
          list={list.devices(filter)}
          row={(d) => [
            d.name,
            looks[d.standing].word,
            d.open_findings,
            d.model,
            d.serial,
            d.path,
            d.tags.join(" "),
            d.primary_user,
            d.platform,
            d.os_version,
            d.desired,
            d.reported,
            d.last_contact ?? "",
          ]}
        />
      </PageHead>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <SearchField
          label="Search devices"
          placeholder="Name, serial, place, account …"
          value={filter.search ?? ""}
          onChange={(search) => set({ search })}
        />
        <Choices
          label="Standing"
          value={filter.standing ?? ""}
          onChange={(value) => set({ standing: value })}
          choices={[
            { value: "", label: "all", count: counts.data && total(counts.data) },
            ...order.map((s) => ({ value: s, label: `${looks[s].glyph} ${looks[s].word}`, count: counts.data?.[s] })),
          ]}
        />
        <div className="flex basis-full flex-wrap items-center gap-4">
          <GroupFilter value={filter.group ?? ""} onChange={(group) => set({ group: group })} />
          <Select
            label="Accounts"
            value={filter.unknown_accounts ?? ""}
            onChange={(accounts) => set({ accounts })}
            options={[
              { value: "", label: "any" },
              { value: "some", label: "some of no policy" },
              { value: "privileged", label: "privileged ones of no policy" },
            ]}
          />
        </div>
      </div>
      {devices.error && <Trouble error={devices.error} />}
      <Paged
        list={devices}
        empty={
          filter.search || filter.standing || filter.group || filter.unknown_accounts
            ? "No device matches. Remove a filter to see more."
            : "No device has enrolled yet. Create a token with the command: rankwarden enrolment create"
        }
      >
        <DeviceRows items={items} more={devices.more} readMore={devices.readMore} />
      </Paged>
    </>
  );
}

function DeviceRows({ items, more, readMore }: { items: Device[]; more: boolean; readMore: () => void }) {
  const now = useNow();
  const columns: Column<Device>[] = [
    {
      title: "Device",
      sort: (d) => d.name,
      width: "150px",
      cell: (d) => (
        <Link to={`/devices/${d.name}`} className="font-mono font-semibold">
          {d.name}
        </Link>
      ),
    },
    { title: "Standing", sort: (d) => d.standing, width: "110px", cell: (d) => <StandingWord standing={d.standing} /> },
    { title: "Findings", sort: (d) => d.open_findings, width: "70px", right: true, cell: (d) => d.open_findings || "" },
    { title: "Model", sort: (d) => d.model, width: "minmax(110px,1fr)", cell: (d) => d.model },
    {
      title: "System",
      sort: (d) => `${d.platform} ${d.os_version}`,
      width: "160px",
      cell: (d) => `${d.platform} ${d.os_version}`,
    },
    {
      title: "Place",
      sort: (d) => d.path,
      width: "minmax(110px,1fr)",
      cell: (d) => <PlaceName path={d.path} />,
    },
    {
      title: "Desired state",
      sort: (d) => d.desired,
      width: "100px",
      right: true,
      cell: (d) => d.desired || "none yet",
    },
    {
      title: "Last contact",
      sort: (d) => d.last_contact ?? "",
      width: "110px",
      right: true,
      cell: (d) => ago(d.last_contact, now),
    },
    {
      title: "Verified",
      sort: (d) => d.verified_at ?? "",
      width: "110px",
      right: true,
      cell: (d) =>
        d.verified_at ? (
          ago(d.verified_at, now)
        ) : (
          <span className="text-second">{d.desired === d.reported ? "no" : "not yet"}</span>
        ),
    },
  ];
  return <Rows label="Devices" items={items} columns={columns} id={(d) => d.id} more={more} readMore={readMore} />;
}

/** A place, which breaks between its parts and not within a word. */
function PlaceName({ path }: { path: string }) {
  const parts = path.split(/(?<=\/)/).map((part, at, all) => ({ part, upTo: all.slice(0, at + 1).join("") }));
  return (
    <span className="text-second [overflow-wrap:normal]">
      {parts.map(({ part, upTo }) => (
        <Fragment key={upTo}>
          {part}
          <wbr />
        </Fragment>
      ))}
    </span>
  );
}
