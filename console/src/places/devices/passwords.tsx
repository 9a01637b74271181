import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { read } from "@/api/queries";

import { ago, soon, useNow } from "@/domain/time";
import { Aside } from "@/ui/page";

/** The passwords that a device changes, and the way to see them. */
export function DevicePasswords({ device }: { device: string }) {
  const now = useNow();
  const passwords = useQuery(read.devicePasswords(device));
  const list = passwords.data?.items ?? [];
  const none = passwords.data?.why_none;
  if (list.length === 0 && !none) return null;
  return (
    <Aside title="Passwords">
      {none && <p className="mb-1.5 text-second">None is in escrow. {none}</p>}
      <ul className="space-y-1.5">
        {list.map((p) => (
          <li key={p.account}>
            <Link
              to={`/passwords?${new URLSearchParams({ search: device, device, account: p.account })}`}
              className="font-mono font-semibold text-brass underline decoration-current"
            >
              {p.name}
            </Link>
            <span className="block text-second">
              {p.changing
                ? "rotation in progress"
                : `rotated ${ago(p.changed_at, now)}; next ${p.next_at ? soon(p.next_at, now) : "no rotation"}`}
              {p.viewed_by && `; last viewed by ${p.viewed_by}, ${ago(p.viewed_at, now)}`}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}
