import { Link } from "react-router";
import { useRights } from "@/api/rights";
import type { DeviceWhy } from "@/api/types";
import { useOrder } from "@/api/use-order";
import { alarming } from "@/domain/alarming";
import { clock, useNow } from "@/domain/time";
import { Words } from "@/domain/words";
import { Button } from "@/ui/button";
import { Aside, Trouble } from "@/ui/page";

/** Accounts that are locked, until when, and the way to unlock them. */
export function Locked({ why }: { why: DeviceWhy }) {
  const may = useRights();
  const now = useNow();
  const order = useOrder(why.device.name);
  const locked = why.accounts.filter((a) => a.locked);
  if (locked.length === 0) return null;
  return (
    <Aside title="Locked out">
      {order.error && <Trouble error={order.error} />}
      <ul className="space-y-2">
        {locked.map((a) => {
          const waits = why.orders.some(
            (o) =>
              o.kind === "unlock" && o.subject === `sid:${a.sid}` && (o.state === "queued" || o.state === "delivered"),
          );
          return (
            <li
              key={a.sid}
              className="flex items-center justify-between gap-3 border-l-4 border-red bg-red-wash px-3 py-1.5"
            >
              <span className="min-w-0">
                <span className="font-mono font-semibold">{a.name}</span>
                <span className="block">
                  {a.locked_until ? `until ${clock(a.locked_until, now)}` : "until someone unlocks it"}
                </span>
              </span>
              {may("handle") && (
                <Button
                  onClick={() => order.mutate({ kind: "unlock", subject: `sid:${a.sid}` })}
                  disabled={waits || order.isPending}
                >
                  {waits ? "Unlocking" : "Unlock"}
                </Button>
              )}
            </li>
          );
        })}
      </ul>
    </Aside>
  );
}

/** The device's own account of what it did. */
export function Happened({ why }: { why: DeviceWhy }) {
  const now = useNow();
  return (
    <Aside title="Events">
      {why.events.length === 0 && <p className="text-second">No events yet.</p>}
      <ol className="space-y-1.5">
        {why.events.slice(0, 8).map((e) => (
          <li key={e.id} className="grid grid-cols-[56px_1fr] gap-2">
            <time dateTime={e.at} className="font-mono text-xs leading-5 text-second">
              {clock(e.at, now)}
            </time>
            <span className={`min-w-0 break-words ${alarming.has(e.kind) ? "text-red" : ""}`}>
              <Words>{e.words}</Words>
            </span>
          </li>
        ))}
      </ol>
      {why.events.length > 8 && (
        <p className="mt-2">
          <Link to={`/events?device=${why.device.name}`} className="text-brass underline decoration-current">
            All events
          </Link>
        </p>
      )}
    </Aside>
  );
}

export function History({ why }: { why: DeviceWhy }) {
  const now = useNow();
  const colour = { open: "", waived: "text-waiting", closed: "text-green", corrected: "text-green" };
  const verb = { open: "", waived: "waived: ", closed: "closed: ", corrected: "corrected by the device: " };
  return (
    <Aside title="Findings">
      {why.history.length === 0 && <p className="text-second">No findings since its first report.</p>}
      <ol className="space-y-1.5">
        {why.history.slice(0, 6).map((f) => (
          <li key={f.id} className="grid grid-cols-[56px_1fr] gap-2">
            <time dateTime={f.closed_at ?? f.first_seen} className="font-mono text-xs leading-5 text-second">
              {clock(f.closed_at ?? f.first_seen, now)}
            </time>
            <span className="min-w-0 break-words">
              {f.unit_title}: <span className={colour[f.state]}>{verb[f.state]}</span>
              <span className={f.state === "open" && f.drifts ? "text-red" : ""}>
                <Words>{f.words}</Words>
              </span>
            </span>
          </li>
        ))}
      </ol>
    </Aside>
  );
}
