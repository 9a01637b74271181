import { Link } from "react-router";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { LocalAccount } from "@/api/types";
import { useNow } from "@/domain/time";
import { When } from "@/domain/when";
import { Export } from "@/ui/export";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { LetGo } from "./let-go";
import { whose } from "./whose";

/** The devices that have a local account of a name. */
export function AccountDevices({ name, group }: { name: string; group: string }) {
  const now = useNow();
  const accounts = usePages(list.accountDevices(name));
  const columns: Column<LocalAccount>[] = [
    {
      title: "Device",
      sort: (a) => a.device,
      width: "minmax(120px,1fr)",
      cell: (a) => (
        <Link to={`/devices/${a.device}`} className="font-mono">
          {a.device}
        </Link>
      ),
    },
    {
      title: "State",
      width: "minmax(110px,1fr)",
      cell: (a) => (
        <>
          {a.enabled ? "enabled" : <span className="text-second">disabled</span>}
          {a.privileged && <span className="block font-semibold text-red">privileged</span>}
          <span className="block text-second">{whose(a)}</span>
        </>
      ),
    },
    {
      title: "Last sign-in",
      sort: (a) => a.last_sign_in ?? "",
      width: "minmax(140px,1.3fr)",
      cell: (a) => (
        <>
          {a.last_sign_in ? a.last_sign_in.slice(0, 10) : "none known"}
          {a.runs.map((r) => (
            <span key={r} className="block text-second">
              {r}
            </span>
          ))}
        </>
      ),
    },
    {
      title: "Password set",
      sort: (a) => a.password_set_at ?? "",
      width: "148px",
      cell: (a) => (a.password_set_at ? <When at={a.password_set_at} now={now} /> : "unknown"),
    },
  ];
  return (
    <section className="border-t-2 border-ink pt-2">
      <div className="mb-2 flex items-center gap-3">
        <h2 className="grow font-bold">
          Devices with <span className="font-mono">{name}</span>
        </h2>
        <LetGo account={`local:${name}`} name={name} group={group || "everything"} />
        <Export
          file={`account-${name}`}
          list={list.accountDevices(name)}
          header={[
            "device",
            "account",
            "enabled",
            "privileged",
            "of",
            "password set",
            "last sign-in",
            "runs",
            "first seen",
            "identifier",
          ]}
          row={(a) => [
            a.device,
            a.name,
            a.enabled ? "yes" : "no",
            a.privileged ? "yes" : "no",
            whose(a),
            a.password_set_at ?? "",
            a.last_sign_in ?? "",
            a.runs.join(", "),
            a.since,
            a.sid,
          ]}
        />
      </div>
      <PagedRows
        list={accounts}
        empty="No device has it any more."
        label={`Devices with ${name}`}
        narrow
        columns={columns}
        id={(a) => `${a.device_id} ${a.sid}`}
      />
    </section>
  );
}
