import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { organisation } from "@/api/organisation";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Password } from "@/api/types";
import { GroupFilter } from "@/domain/group-filter";
import { StandingBadge } from "@/domain/standing";
import { ago, soon, useNow } from "@/domain/time";
import { Export } from "@/ui/export";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead, Trouble } from "@/ui/page";
import { Paged } from "@/ui/paged";
import { type Column, Rows } from "@/ui/rows";
import { Asked } from "./asked";
import { ChangeMany } from "./change-many";
import { PasswordPanel } from "./panel";

type Filter = { search?: string; group?: string; overdue?: boolean };

const exported = ["device", "serial", "account", "name", "identifier", "changed", "next", "last seen", "by"];

/** Passwords that devices change: look one up, see it with a reason, have some changed now. */
export function PasswordsPage() {
  const may = useRights();
  const [params, set] = useFilters();
  const [picked, setPicked] = useState<{ of: string; passwords: Password[] }>({ of: "", passwords: [] });
  const filter: Filter = {
    search: params.get("search") || undefined,
    group: params.get("group") || undefined,
    overdue: params.get("only") === "overdue" || undefined,
  };
  const passwords = usePages(list.passwords(filter));
  const items = passwords.items;
  const device = params.get("device") ?? "";
  const account = params.get("account") ?? "";
  // What is ticked holds for the list that one sees: another filter begins anew.
  const of = JSON.stringify(filter);
  const chosen = picked.of === of ? picked.passwords : [];
  const toggle = (p: Password) => {
    const others = chosen.filter((c) => id(c) !== id(p));
    setPicked({ of, passwords: others.length < chosen.length ? others : [...chosen, p] });
  };
  return (
    <>
      <PageHead
        tab={device ? `Passwords, ${device}` : "Passwords"}
        title="Passwords"
        note="Stored passwords, encrypted by the devices. Each view is recorded in the audit trail."
      >
        <Link to="/sheets" className="font-semibold text-brass">
          Sealed sheets
        </Link>
        <Export
          file="passwords.csv"
          header={exported}
          list={list.passwords(filter)}
          row={(p) => [
            p.device,
            p.serial,
            p.account,
            p.name,
            p.sid,
            p.changed_at ?? "",
            p.next_at ?? "",
            p.viewed_at ?? "",
            p.viewed_by,
          ]}
        />
      </PageHead>
      <NoKey />
      <Asked />
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <SearchField
          label="Search by device, serial or account name"
          placeholder="Device, serial or account name"
          value={filter.search ?? ""}
          onChange={(search) => set({ search })}
        />
        <GroupFilter value={filter.group ?? ""} onChange={(group) => set({ group })} />
        <Choices
          label="Which"
          value={filter.overdue ? "overdue" : "all"}
          onChange={(value) => set({ only: value === "overdue" ? value : "" })}
          choices={[
            { value: "all", label: "all" },
            { value: "overdue", label: "overdue" },
          ]}
        />
        {may("handle") && (
          <ChangeMany
            chosen={chosen}
            group={filter.search || filter.overdue ? undefined : filter.group}
            clear={() => setPicked({ of, passwords: [] })}
          />
        )}
      </div>
      {passwords.error && <Trouble error={passwords.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_392px] gap-7 max-[900px]:grid-cols-1">
        <div>
          <Paged
            list={passwords}
            empty={
              filter.search || filter.group || filter.overdue
                ? "No password matches. Remove a filter to see more."
                : "No stored passwords yet. They appear after a device has rotated one for a policy."
            }
          >
            <PasswordRows
              items={items}
              device={device}
              account={account}
              chosen={chosen}
              toggle={toggle}
              choose={(p) => set({ device: p.device, account: p.account })}
              more={passwords.more}
              readMore={passwords.readMore}
            />
          </Paged>
        </div>
        <div>
          {device && account ? (
            <PasswordPanel key={device + account} device={device} account={account} />
          ) : (
            <p className="border-t-2 border-ink pt-2 text-second">
              Choose an account on the left to see its rotation and views, and to view the password.
            </p>
          )}
        </div>
      </div>
    </>
  );
}

const id = (p: Password) => `${p.device_id} ${p.account}`;

type RowsOf = {
  items: Password[];
  device: string;
  account: string;
  chosen: Password[];
  toggle: (p: Password) => void;
  choose: (p: Password) => void;
  more: boolean;
  readMore: () => void;
};

function PasswordRows({ items, device, account, chosen, toggle, choose, more, readMore }: RowsOf) {
  const now = useNow();
  const ticked = new Set(chosen.map(id));
  const columns: Column<Password>[] = [
    {
      title: "Select",
      width: "40px",
      cell: (p) => (
        <input
          type="checkbox"
          aria-label={`Choose ${p.name} on ${p.device}`}
          checked={ticked.has(id(p))}
          onChange={() => toggle(p)}
          className="accent-brass"
        />
      ),
    },
    {
      title: "Account",
      sort: (p) => p.name,
      width: "minmax(130px,1fr)",
      cell: (p) => {
        const open = p.device === device && p.account === account;
        return (
          <button
            type="button"
            aria-pressed={open}
            onClick={() => choose(p)}
            className={`font-mono font-semibold ${open ? "bg-ink px-1 text-paper" : "text-brass underline decoration-current"}`}
          >
            {p.name}
          </button>
        );
      },
    },
    {
      title: "Device",
      sort: (p) => p.device,
      width: "112px",
      cell: (p) => (
        <Link to={`/devices/${p.device}`} className="font-mono">
          {p.device}
        </Link>
      ),
    },
    { title: "Standing", sort: (p) => p.standing, width: "96px", cell: (p) => <StandingBadge standing={p.standing} /> },
    {
      title: "Last rotated",
      sort: (p) => p.changed_at ?? "",
      width: "96px",
      right: true,
      cell: (p) => ago(p.changed_at, now),
    },
    {
      title: "Next",
      sort: (p) => p.next_at ?? "",
      width: "150px",
      right: true,
      cell: (p) =>
        p.changing ? (
          <span className="text-waiting">◔ rotating</span>
        ) : p.every_minutes === null ? (
          <span className="text-red">no rule</span>
        ) : (
          p.next_at && soon(p.next_at, now)
        ),
    },
  ];
  return <Rows label="Passwords" items={items} columns={columns} id={id} more={more} readMore={readMore} narrow />;
}

/** Says so when devices cannot change any password. */
function NoKey() {
  const mayAsk = useRights()("administer");
  const keys = useQuery({ ...organisation.keys(), enabled: mayAsk });
  if (!keys.data || keys.data.items.some((k) => k.use === "escrow" && k.state === "live")) return null;
  return (
    <div role="alert" className="mb-4 border-l-4 border-red bg-red-wash px-4 py-2">
      No escrow key is live, so no device changes a password. On the service's machine run{" "}
      <code className="font-mono">rankwardend keys new</code>, copy the key to a safe place, and prove the copy with{" "}
      <code className="font-mono">rankwardend keys prove</code>.
    </div>
  );
}
