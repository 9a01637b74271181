import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { usePages } from "@/api/pages";
import { list, read } from "@/api/queries";
import type { DirectoryEntry } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { Export } from "@/ui/export";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { OrganisationParts } from "./parts";

type Kind = "" | "user" | "group";

const columns: Column<DirectoryEntry>[] = [
  {
    title: "Name",
    sort: (e) => e.title,
    width: "minmax(160px,1fr)",
    cell: (e) => <span className="font-semibold">{e.title}</span>,
  },
  { title: "Kind", sort: (e) => e.kind, width: "70px", cell: (e) => (e.kind === "user" ? "person" : "group") },
  {
    title: "Reference in policies",
    sort: (e) => e.ref,
    width: "minmax(300px,1.6fr)",
    cell: (e) => <Reference text={e.ref} />,
  },
  {
    title: "Security identifier",
    sort: (e) => e.sid,
    width: "minmax(230px,1.2fr)",
    cell: (e) => <span className="font-mono text-sm whitespace-nowrap">{e.sid}</span>,
  },
  { title: "From", sort: (e) => e.source, width: "100px", cell: (e) => e.source },
];

/** People and groups that policies can name. */
export function DirectoryPage() {
  const [params, set] = useFilters();
  const search = params.get("search") || undefined;
  const kind = (params.get("kind") ?? "") as Kind;
  const entries = usePages(list.directory({ search, kind }));
  const items = entries.items;
  return (
    <>
      <PageHead tab="Directory" title="Directory" note="People and groups of the directory, as policies name them.">
        <Export
          file="directory.csv"
          header={["reference", "kind", "title", "sid", "guid", "dn"]}
          list={list.directory({ search, kind })}
          row={(e) => [e.ref, e.kind, e.title, e.sid, e.guid, e.dn]}
        />
      </PageHead>
      <OrganisationParts />
      <Connection />
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <SearchField
          label="Search the directory"
          placeholder="Any part of a name"
          value={search ?? ""}
          onChange={(search) => set({ search })}
        />
        <Choices
          label="Kind"
          value={kind}
          onChange={(value) => set({ kind: value })}
          choices={[
            { value: "", label: "all" },
            { value: "user", label: "people" },
            { value: "group", label: "groups" },
          ]}
        />
      </div>
      <PagedRows
        list={entries}
        empty={
          search || kind
            ? "No entry matches. Remove a filter to see more."
            : "The directory is empty. Import a file with the command: rankwarden directory import FILE"
        }
        label="Directory"
        items={items}
        columns={columns}
        id={(e) => e.ref}
      />
    </>
  );
}

/** A reference as it is written in a policy, to be copied. */
function Reference({ text }: { text: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(text);
    setCopied(true);
  };
  return (
    <span className="flex items-baseline gap-2">
      <span className="font-mono text-sm">{text}</span>
      <button type="button" onClick={copy} aria-label={`Copy ${text}`} className="text-sm text-brass hover:underline">
        {copied ? "✓ copied" : "copy"}
      </button>
    </span>
  );
}

/** How the connection to a directory does, where there is one. */
function Connection() {
  const now = useNow();
  const state = useQuery(read.directoryConnection());
  if (!state.data?.connected) return null;
  const { ended_at, error, entries } = state.data;
  return (
    <p className={`mb-3 ${error ? "text-red" : "text-second"}`}>
      {error
        ? `◆ The directory could not be read ${ago(ended_at, now)}: ${error}`
        : ended_at
          ? `Synchronised: ${entries} people and groups, read ${ago(ended_at, now)}.`
          : "The directory is being read."}
    </p>
  );
}
