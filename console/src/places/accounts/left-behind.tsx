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

/** Accounts that a policy managed once and none does any more, with what can be done about each. */
export function LeftBehind({ group }: { group: string }) {
  const now = useNow();
  const accounts = usePages(list.leftBehind(group));
  const columns: Column<LocalAccount>[] = [
    {
      title: "Device",
      sort: (a) => a.device,
      width: "minmax(130px,1fr)",
      cell: (a) => (
        <Link to={`/devices/${a.device}`} className="font-mono">
          {a.device}
        </Link>
      ),
    },
    {
      title: "Account",
      sort: (a) => a.name,
      width: "minmax(140px,1fr)",
      cell: (a) => (
        <>
          <span className="font-mono break-all">{a.name}</span>
          <span className="block text-second">was managed as {a.key}</span>
        </>
      ),
    },
    {
      title: "State",
      width: "120px",
      cell: (a) => (
        <>
          {a.enabled ? "enabled" : <span className="text-second">disabled</span>}
          {a.privileged && <span className="block font-semibold text-red">privileged</span>}
        </>
      ),
    },
    {
      title: "Last sign-in",
      sort: (a) => a.last_sign_in ?? "",
      width: "120px",
      cell: (a) => a.last_sign_in?.slice(0, 10) ?? "none known",
    },
    {
      title: "Password set",
      sort: (a) => a.password_set_at ?? "",
      width: "148px",
      cell: (a) => (a.password_set_at ? <When at={a.password_set_at} now={now} /> : "unknown"),
    },
    {
      title: "Do",
      width: "minmax(170px,1fr)",
      cell: (a) => <LetGo account={`account:${a.key}`} name={a.name} devices={[a.device]} enabled={a.enabled} />,
    },
  ];
  return (
    <>
      <div className="mb-2 flex items-start gap-3">
        <p className="grow text-second">
          A policy managed these accounts once and none does any more, so nobody changes their passwords. To manage one
          again, <Link to="/assignments">assign</Link> a policy that has an account of its key.
        </p>
        <Export
          file="left-behind"
          list={list.leftBehind(group)}
          header={["device", "account", "key", "enabled", "privileged", "last sign-in", "password set", "identifier"]}
          row={(a) => [
            a.device,
            a.name,
            a.key,
            a.enabled ? "yes" : "no",
            a.privileged ? "yes" : "no",
            a.last_sign_in ?? "",
            a.password_set_at ?? "",
            a.sid,
          ]}
        />
      </div>
      <PagedRows
        list={accounts}
        empty="No account is left behind."
        label="Accounts left behind"
        columns={columns}
        id={(a) => `${a.device_id} ${a.sid}`}
      />
    </>
  );
}
