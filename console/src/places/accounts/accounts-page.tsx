import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { AccountName } from "@/api/types";
import { counted } from "@/domain/count";
import { GroupFilter } from "@/domain/group-filter";
import { Export } from "@/ui/export";
import { Choices, SearchField, useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { AccountDevices } from "./account-devices";
import { LeftBehind } from "./left-behind";
import { Where } from "./where";

type Which = "unknown" | "left" | "privileged" | "all";

/** Which local accounts devices have, and where somebody is an administrator; asked for by a policy or not. */
export function AccountsPage() {
  const [params, set] = useFilters();
  const chosen = params.get("account") ?? "";
  const who = params.get("who") ?? "";
  const which = (params.get("which") as Which | null) ?? "unknown";
  const left = which === "left" && !who;
  const filter = {
    ...(params.get("search") && { search: params.get("search") ?? "" }),
    ...(params.get("group") && { group: params.get("group") ?? "" }),
    ...(which === "unknown" && { unknown: true }),
    ...(which === "privileged" && { privileged: true }),
  };
  const accounts = usePages(list.accounts(filter));
  const count = (title: string, of: (a: AccountName) => number): Column<AccountName> => ({
    title,
    sort: of,
    width: "78px",
    right: true,
    cell: (a) => counted(of(a)),
  });
  const columns: Column<AccountName>[] = [
    {
      title: "Account",
      sort: (a) => a.name,
      width: "minmax(120px,1fr)",
      cell: (a) => (
        <button
          type="button"
          aria-pressed={a.name === chosen}
          onClick={() => set({ account: a.name === chosen ? "" : a.name, who: "" })}
          className={`text-left font-mono break-all underline-offset-2 hover:underline ${a.name === chosen ? "font-semibold text-brass" : ""}`}
        >
          {a.name}
        </button>
      ),
    },
    count("Devices", (a) => a.devices),
    count("Enabled", (a) => a.enabled),
    count("Privileged", (a) => a.privileged),
    ...(which === "unknown" ? [] : [count("Managed or left", (a) => a.managed)]),
  ];
  return (
    <>
      <PageHead
        tab="Accounts"
        title="Accounts"
        note="Local accounts that devices have, and who can take a device over, as devices said it last."
      >
        {!left && (
          <Export
            file="accounts"
            list={list.accounts(filter)}
            header={["account", "devices", "enabled", "privileged", "managed or left behind", "built in"]}
            row={(a) => [a.name, a.devices, a.enabled, a.privileged, a.managed, a.builtin]}
          />
        )}
      </PageHead>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <SearchField
          label="Where is somebody an administrator?"
          placeholder="user:…, group:…, S-1-…, or account"
          value={who}
          onChange={(who) => set({ who, account: "" })}
        />
        {!left && (
          <SearchField
            label="Search accounts"
            placeholder="Part of a name"
            value={params.get("search") ?? ""}
            onChange={(search) => set({ search })}
          />
        )}
        <Choices
          label="Which"
          value={which}
          onChange={(value) => set({ which: value === "unknown" ? "" : value })}
          choices={[
            { value: "unknown", label: "of no policy" },
            { value: "left", label: "left behind" },
            { value: "privileged", label: "privileged" },
            { value: "all", label: "all" },
          ]}
        />
        <GroupFilter value={params.get("group") ?? ""} onChange={(group) => set({ group })} />
      </div>
      {left && <LeftBehind group={params.get("group") ?? ""} />}
      {!left && (
        <div className="grid grid-cols-[minmax(0,4fr)_minmax(0,7fr)] gap-7 max-[900px]:grid-cols-1">
          <div>
            <PagedRows
              list={accounts}
              empty={
                which === "unknown"
                  ? "No device has an account that no policy manages."
                  : "No account matches. Accounts appear with the next report of a device."
              }
              label="Accounts"
              narrow="slim"
              columns={columns}
              id={(a) => a.name}
            />
          </div>
          <div>
            {who && <Where key={who} principal={who} />}
            {chosen && <AccountDevices key={chosen} name={chosen} group={params.get("group") ?? ""} />}
            {!who && !chosen && (
              <p className="text-second">
                Choose an account to see the devices that have it, or ask for somebody above.
              </p>
            )}
          </div>
        </div>
      )}
    </>
  );
}
