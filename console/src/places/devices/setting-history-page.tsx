import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Schemas } from "@/api/types";
import { clock, useNow } from "@/domain/time";
import { Waive } from "@/domain/waive";
import { Words } from "@/domain/words";
import { useFilters } from "@/ui/filters";
import { Loading, Nothing, PageHead, Trouble } from "@/ui/page";

type Happened = Schemas["Happened"];

const what: Record<Happened["what"], { name: string; colour: string }> = {
  found: { name: "found", colour: "text-red" },
  closed: { name: "closed", colour: "text-green" },
  corrected: { name: "corrected by the device", colour: "text-green" },
  event: { name: "on the device", colour: "" },
  viewed: { name: "password seen", colour: "text-brass" },
  warrant: { name: "warrant", colour: "text-waiting" },
};

/** What happened to one setting of a device, and who was there. */
export function SettingHistoryPage() {
  const { name = "" } = useParams();
  const [params] = useFilters();
  const setting = params.get("setting") ?? "";
  const now = useNow();
  const may = useRights();
  const history = useQuery(read.settingHistory(name, setting));
  const device = useQuery({ ...read.device(name), enabled: may("deploy") });
  const waivable = (device.data?.history ?? []).filter(
    (f) => f.state === "open" && f.unit === setting && f.kind !== "unit_unsupported",
  );
  if (history.isPending) return <Loading />;
  const title = history.data?.title ?? setting;
  return (
    <>
      <PageHead
        tab={`${title} of ${name}`}
        title={
          <>
            {title} of{" "}
            <Link to={`/devices/${name}`} className="font-mono text-brass underline decoration-current">
              {name}
            </Link>
          </>
        }
        note="The last 30 days, the latest first. Where the host did not say who changed it, who was signed in is the best that is known."
      >
        {waivable.length > 0 && <Waive findings={waivable} />}
      </PageHead>
      {history.error && <Trouble error={history.error} />}
      {history.data?.items.length === 0 && <Nothing>Nothing happened to it in the last 30 days.</Nothing>}
      <table className="w-full max-w-[1000px]">
        <thead>
          <tr className="border-b border-hairline text-left text-xs text-second">
            <th className="w-[160px] px-2.5 py-2 font-semibold">When</th>
            <th className="w-[190px] px-2.5 py-2 font-semibold">What</th>
            <th className="px-2.5 py-2 font-semibold">In words</th>
          </tr>
        </thead>
        <tbody>
          {history.data?.items.map((h, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: what happened has no name of its own, and keeps its order
            <tr key={place} className="border-b border-hairline align-top">
              <td className="px-2.5 py-1.5">
                <time dateTime={h.at}>{clock(h.at, now)}</time>
              </td>
              <td className={`px-2.5 py-1.5 ${what[h.what].colour}`}>{what[h.what].name}</td>
              <td className="px-2.5 py-1.5 break-words">
                {h.operator && <span className="font-semibold">{h.operator} </span>}
                <Words>{h.words}</Words>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
