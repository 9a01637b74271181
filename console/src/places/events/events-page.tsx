import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { DeviceEvent } from "@/api/types";
import { alarming } from "@/domain/alarming";
import { GroupFilter } from "@/domain/group-filter";
import { useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { Words } from "@/domain/words";
import { Export } from "@/ui/export";
import { useFilters } from "@/ui/filters";
import { PageHead } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";

type Filter = { device?: string; kind?: string; group?: string };

const kinds: Record<string, string> = {
  applied: "desired state carried out",
  applied_in_part: "desired state in part",
  account_created: "account created",
  account_adopted: "account adopted",
  account_renamed: "account renamed",
  account_enabled: "account enabled",
  account_counts: "account will be disabled",
  account_disabled: "account disabled",
  account_described: "account details set",
  account_removed: "account removed",
  group_created: "local group created",
  group_removed: "local group removed",
  warrant_joined: "member by warrant",
  warrant_used: "signed in by warrant",
  warrant_left: "warrant over",
  member_added: "member added",
  member_removed: "member removed",
  value_set: "value set",
  password_changed: "password rotated",
  password_foreign: "password changed elsewhere",
  rotation_failed: "rotation failed",
  rotation_stopped: "rotation stopped",
  account_used: "account used",
  account_locked: "account locked",
  account_unlocked: "account unlocked",
  device_restarted: "device restarted",
  keys_removed: "SSH keys removed",
  device_renamed: "device renamed",
  set_aside: "skipped: the service refuses it",
  device_restored: "device restored from a snapshot",
  sessions_ended: "sessions ended",
  guard_refused: "guard refused",
  repeatedly_reverted: "repeatedly reverted",
};

/** What happened on devices, as they tell it. */
export function EventsPage() {
  const [params, set] = useFilters();
  const now = useNow();
  const filter: Filter = {
    device: params.get("device") || undefined,
    kind: params.get("kind") || undefined,
    group: params.get("group") || undefined,
  };
  const events = usePages(list.events(filter));
  const items = events.items;
  const columns: Column<DeviceEvent>[] = [
    { title: "When", sort: (e) => e.at, width: "148px", cell: (e) => <When at={e.at} now={now} /> },
    {
      title: "Device",
      sort: (e) => e.device,
      width: "150px",
      cell: (e) => (
        <Link to={`/devices/${e.device}`} className="font-mono font-semibold">
          {e.device}
        </Link>
      ),
    },
    {
      title: "Event",
      sort: (e) => e.kind,
      width: "minmax(320px,1fr)",
      cell: (e) => (
        <span className={alarming.has(e.kind) ? "text-red" : ""}>
          <Words>{e.words}</Words>
        </span>
      ),
    },
  ];
  return (
    <>
      <PageHead
        tab={filter.device ? `Events of ${filter.device}` : "Events"}
        title={filter.device ? `Events of ${filter.device}` : "Events"}
        note="Events reported by devices."
      >
        <Export
          file="events.csv"
          header={["at", "device", "kind", "unit", "subject", "event"]}
          list={list.events(filter)}
          row={(e) => [e.at, e.device, e.kind, e.unit, e.subject, e.words]}
        />
      </PageHead>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <label className="flex items-center gap-2">
          <span className="text-second">Kind</span>
          <select
            value={filter.kind ?? ""}
            onChange={(event) => set({ kind: event.target.value })}
            className="rounded-sm border border-second bg-sheet px-2 py-1"
          >
            <option value="">any</option>
            {Object.entries(kinds).map(([kind, words]) => (
              <option key={kind} value={kind}>
                {words}
              </option>
            ))}
          </select>
        </label>
        <GroupFilter value={filter.group ?? ""} onChange={(group) => set({ group: group })} />
        {filter.device && (
          <button
            type="button"
            onClick={() => set({ device: "" })}
            className="font-semibold text-brass hover:underline"
          >
            Show all devices
          </button>
        )}
      </div>
      <PagedRows
        list={events}
        empty="No event matches."
        label="Events"
        items={items}
        columns={columns}
        id={(e) => e.id}
      />
    </>
  );
}
