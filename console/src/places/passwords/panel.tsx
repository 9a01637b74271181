import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Deposit, DevicePassword } from "@/api/types";
import { useOrder } from "@/api/use-order";
import { ago, clock, dayOf, soon, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Aside, Loading, Trouble } from "@/ui/page";
import { OpensNothing } from "./opens-nothing";
import { Reveal } from "./reveal";

export const reasons: Record<string, string> = {
  interrupted: "the change before was interrupted",
  restored: "the device came back from a snapshot",
  recreated: "the account was recreated",
  changed_elsewhere: "it had been changed outside Rank Warden",
  first: "first rotation",
  ordered: "by an order",
  revealed: "it had been viewed",
  used: "somebody had signed in",
  age: "it was due",
};

/** One password: its account, its rotation, its views, and the form to view it. */
export function PasswordPanel({ device, account }: { device: string; account: string }) {
  const may = useRights();
  const passwords = useQuery(read.devicePasswords(device));
  if (passwords.isPending) return <Loading />;
  if (!passwords.data) return <Trouble error={passwords.error as Error} />;
  const chosen = passwords.data.items.find((p) => p.account === account);
  if (!chosen) {
    return (
      <p className="text-second">
        {device} has no such password in escrow. {passwords.data.why_none}
      </p>
    );
  }
  return (
    <>
      <About password={chosen} />
      {may("reveal") ? (
        <Aside title="View password">
          <Reveal key={chosen.account + chosen.device} of={chosen} />
        </Aside>
      ) : (
        <p className="mb-6 text-second">Your role cannot view passwords. The role support can.</p>
      )}
      <Seen device={device} account={account} />
      <Deposits password={chosen} may={may("reveal")} />
    </>
  );
}

function About({ password: p }: { password: DevicePassword }) {
  const may = useRights();
  const now = useNow();
  const order = useOrder(p.device);
  const [asking, setAsking] = useState(false);
  return (
    <section className="mb-5 border-t-2 border-ink pt-2">
      <div className="flex items-baseline justify-between gap-3">
        <h2 className="font-mono text-lg font-bold break-all">{p.name}</h2>
        <Link to={`/devices/${p.device}`} className="font-mono text-brass underline decoration-current">
          {p.device}
        </Link>
      </div>
      <p className="mt-1 break-words">
        This is <span className="font-mono">{p.account}</span>, whose password was changed {ago(p.changed_at, now)}
        {p.every_minutes === null
          ? " and is not rotated by any policy."
          : p.next_at
            ? ` and is due to change ${soon(p.next_at, now)}.`
            : "."}{" "}
        <span className="text-second">
          Identifier <span className="font-mono">{p.sid}</span>
        </span>
      </p>
      {p.disabled && <OpensNothing />}
      <Timeline password={p} now={now} />
      {p.changing && (
        <p className="mt-2 border-l-4 border-waiting px-3 py-1 text-waiting">
          ◔ A rotation is in progress. Until the device confirms it, several passwords can be the right one; all are
          shown.
        </p>
      )}
      {may("handle") && (
        <div className="mt-3 flex items-center gap-3">
          <Button onClick={() => setAsking(true)} disabled={order.isPending || p.every_minutes === null}>
            Rotate now…
          </Button>
          {p.every_minutes === null && (
            <span className="text-second">No policy rotates it, so it cannot be rotated.</span>
          )}
          <Ask
            open={asking}
            title={`Rotate the password of ${p.name} now?`}
            yes="Rotate it"
            onYes={() => {
              order.mutate({ kind: "rotate", subject: p.account });
              setAsking(false);
            }}
            onNo={() => setAsking(false)}
          >
            {p.device} makes a new password and puts it into escrow. Whoever uses the present one must look it up again.
            {p.standing === "silent" && " The device is silent: it does so when it comes back."}
          </Ask>
          <LastRotate device={p.device} account={p.account} off={p.standing === "silent"} />
        </div>
      )}
      {order.error && <Trouble error={order.error} />}
    </section>
  );
}

/** From the last change of the password to the next one, with where in between it is now. */
function Timeline({ password: p, now }: { password: DevicePassword; now: number }) {
  if (!p.next_at || !p.changed_at) return null;
  const [from, to] = [Date.parse(p.changed_at), Date.parse(p.next_at)];
  const done = Math.min(100, Math.max(0, ((now - from) / Math.max(1, to - from)) * 100));
  return (
    <div aria-hidden className="mt-2 text-xs text-second">
      <div className="relative h-2 border border-second bg-paper">
        <div className={`h-full ${done >= 100 ? "bg-waiting" : "bg-brass"}`} style={{ width: `${done}%` }} />
      </div>
      <div className="mt-0.5 flex justify-between">
        <span>changed {dayOf(p.changed_at)}</span>
        <span>due {dayOf(p.next_at)}</span>
      </div>
    </div>
  );
}

/** What became of the latest order to change the password. */
function LastRotate({ device, account, off }: { device: string; account: string; off: boolean }) {
  const now = useNow();
  const orders = useQuery(read.deviceOrders(device));
  const last = orders.data?.items.find((o) => o.kind === "rotate" && (o.subject === account || o.subject === ""));
  if (!last) return null;
  if (last.state === "queued" && off)
    return <span className="text-waiting">◔ the device is offline; the order waits</span>;
  if (last.state === "done")
    return <span className="text-green">✓ rotated {clock(last.finished_at ?? last.created_at, now)}</span>;
  if (last.not_before && Date.parse(last.not_before) > now)
    return (
      <span className="text-waiting">
        ◔ rotates {soon(last.not_before, now)}
        {last.revealed && ", because it was viewed"}
      </span>
    );
  return (
    <span className={last.state === "failed" ? "text-red" : "text-waiting"}>
      {last.state === "failed" ? "◆" : "◔"} {last.state} {last.detail}
    </span>
  );
}

function Seen({ device, account }: { device: string; account: string }) {
  const now = useNow();
  const reveals = useQuery(read.deviceReveals(device));
  const list = reveals.data?.items.filter((r) => r.account === account).slice(0, 5) ?? [];
  return (
    <Aside title="Viewed by">
      {list.length === 0 && <p className="text-second">No views yet.</p>}
      <ul className="space-y-1">
        {list.map((r) => (
          <li key={r.at} className="break-words">
            <b>{r.operator}</b> <span className="text-second">{ago(r.at, now)}:</span> {r.reason}
            {r.copied && <span className="text-second"> (copied without showing)</span>}
          </li>
        ))}
      </ul>
    </Aside>
  );
}

const states: Record<Deposit["state"], [string, string]> = {
  pending: ["◔", "text-waiting"],
  current: ["✓", "text-green"],
  former: ["○", "text-second"],
};

function Deposits({ password, may }: { password: DevicePassword; may: boolean }) {
  const now = useNow();
  const [open, setOpen] = useState("");
  return (
    <Aside title="Stored passwords">
      <ol>
        {password.deposits.slice(0, 12).map((d) => {
          const id = `${d.epoch}.${d.number}`;
          const [glyph, colour] = states[d.state];
          return (
            <li key={id} className="border-b border-hairline py-1.5">
              <div className="grid grid-cols-[78px_1fr_auto] items-baseline gap-2">
                <span className={`font-semibold ${colour}`}>
                  <span aria-hidden>{glyph} </span>
                  {d.state}
                </span>
                <span className="min-w-0 break-words">
                  <span className="font-mono">{d.name}</span>{" "}
                  <span className="text-second">
                    {ago(d.deposited_at, now)}, {reasons[d.reason] ?? d.reason}
                    {d.policy && `; ${d.policy}`}
                  </span>
                </span>
                {may && d.state === "former" && (
                  <button
                    type="button"
                    className="text-brass underline decoration-current"
                    onClick={() => setOpen(open === id ? "" : id)}
                  >
                    See
                  </button>
                )}
              </div>
              {open === id && (
                <div className="py-2">
                  <p className="mb-2 text-second">For a machine restored from an old image.</p>
                  <Reveal of={password} former={{ epoch: d.epoch, number: d.number }} done={() => setOpen("")} />
                </div>
              )}
            </li>
          );
        })}
      </ol>
    </Aside>
  );
}
