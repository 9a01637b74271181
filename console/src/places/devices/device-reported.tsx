import { Link } from "react-router";
import type { DeviceWhy } from "@/api/types";
import { Aside } from "@/ui/page";

/** One device on one screen: its standing, and desired, reported and decided by for every setting. */
export function Reported({ why }: { why: DeviceWhy }) {
  const state = (a: DeviceWhy["accounts"][number]) => (a.locked ? "locked" : a.enabled ? "enabled" : "disabled");
  return (
    <Aside title="Local accounts, as reported">
      {why.accounts.length === 0 && <p className="text-second">Not reported yet.</p>}
      <ul>
        {why.accounts.map((a) => (
          <li key={a.sid} className="flex justify-between gap-2 border-b border-hairline py-1" title={a.sid}>
            <span className="min-w-0 truncate font-mono">{a.name}</span>
            <span className={a.locked ? "font-semibold text-red" : "text-second"}>
              {a.builtin && "built-in, "}
              {a.key && `managed ${a.key}, `}
              {state(a)}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}

const reasons: Record<DeviceWhy["assignments"][number]["reason"], string> = {
  included: "",
  excluded: "excluded here",
  outside: "outside its scope",
  undecided: "undecided: unknown fact",
};

export function Reaching({ why }: { why: DeviceWhy }) {
  return (
    <Aside title="Assignments">
      {why.assignments.length === 0 && <p className="text-second">None.</p>}
      <ul>
        {why.assignments.map((a) => (
          <li
            key={a.assignment}
            className={`grid grid-cols-[40px_1fr] gap-2 border-b border-hairline py-1 ${a.reason === "included" ? "" : "text-second"}`}
          >
            <span className="text-right font-semibold">{a.rank}</span>
            <span className="min-w-0 break-words">
              {a.assignment}{" "}
              <span className="text-second">
                by policy{" "}
                <Link to={`/policies/${a.policy}`} className="text-brass underline decoration-current">
                  {a.policy}
                </Link>
                , revision {a.revision}
              </span>
              {a.stance === "trial" && <span className="text-waiting"> · on trial</span>}
              {a.reason !== "included" && (
                <span className={a.reason === "undecided" ? "font-semibold text-held" : ""}>
                  {" "}
                  · {reasons[a.reason]}
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}
