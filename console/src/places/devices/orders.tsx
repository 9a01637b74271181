import { useRights } from "@/api/rights";
import type { DeviceWhy } from "@/api/types";
import { useOrder } from "@/api/use-order";
import { ago, stamp, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Aside, Trouble } from "@/ui/page";

const glyphs = { queued: "◔", delivered: "◔", done: "✓", failed: "◆", ended: "○", replaced: "○" };
const colours = {
  queued: "text-waiting",
  delivered: "text-waiting",
  done: "text-green",
  failed: "text-red",
  ended: "text-second",
  replaced: "text-second",
};

/** Orders of a device, and the ones that can be given to it. */
export function Orders({ why }: { why: DeviceWhy }) {
  const may = useRights();
  const now = useNow();
  const order = useOrder(why.device.name);
  const mayHandle = may("handle");
  const silent = why.device.standing === "silent";
  if (!mayHandle && why.orders.length === 0) return null;
  return (
    <Aside title="Orders">
      {mayHandle && (
        <div className="mb-2 flex flex-wrap gap-2">
          <Button onClick={() => order.mutate({ kind: "re-apply" })} disabled={order.isPending}>
            Re-apply
          </Button>
          <Button onClick={() => order.mutate({ kind: "rotate" })} disabled={order.isPending}>
            Change passwords
          </Button>
          <Button onClick={() => order.mutate({ kind: "collect" })} disabled={order.isPending}>
            Full report
          </Button>
        </div>
      )}
      {order.error && <Trouble error={order.error} />}
      <ul className="space-y-1">
        {why.orders.map((o) => (
          <li key={o.id} className="border-b border-hairline py-1 break-words">
            <span className="font-semibold">{o.kind}</span> {o.subject}{" "}
            <span className={`font-semibold ${colours[o.state]}`}>
              <span aria-hidden>{glyphs[o.state]} </span>
              {o.state}
            </span>
            <span className="block text-second">
              {o.state === "queued" && silent
                ? `The device is offline; the order waits ${o.expires_at ? `until ${stamp(o.expires_at)}` : "until it checks in"}.`
                : o.detail || `${ago(o.created_at, now)}, ${o.created_by}`}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}
