import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Policy } from "@/api/types";
import { useDrafted } from "@/changes/drafted";
import { Aside } from "@/ui/page";
import { AimForm } from "./aim-form";
import { DeletePolicy } from "./delete-policy";

type Aimed = { name: string; rank: number; include: string[]; exclude: string[]; note: string };

/** Where a policy is used, in force and by one's change; one that is used nowhere can be aimed at once. */
export function Uses({ name, policy, mayEdit }: { name: string; policy: Policy | undefined; mayEdit: boolean }) {
  const inForce = policy !== undefined;
  const mayDeploy = useRights()("deploy");
  const stored = useQuery({ ...read.policyUses(name), enabled: inForce });
  const drafted = useDrafted();
  const altered = new Set(drafted.filter((e) => e.type === "assignment").map((e) => e.name));
  const uses: Aimed[] = [
    ...(stored.data?.items ?? [])
      .filter((a) => !altered.has(a.name))
      .map((a) => ({ ...a, note: `revision ${a.revision}` })),
    ...drafted.flatMap((e) =>
      e.assignment?.policy === name
        ? [{ name: e.name, ...e.assignment, exclude: e.assignment.exclude ?? [], note: "in your change" }]
        : [],
    ),
  ];
  if (inForce && !stored.data) return null;
  return (
    <>
      <Aside title="Used by">
        {uses.length === 0 && <p className="text-second">Not used yet: it reaches no device before it is aimed.</p>}
        <ul>
          {uses.map((a) => (
            <li key={a.name} className="grid grid-cols-[40px_1fr] gap-2 border-b border-hairline py-1">
              <span className="text-right font-semibold">{a.rank}</span>
              <span>
                {a.name}
                <span className="block text-second">
                  to {a.include.join(", ")}
                  {a.exclude.length > 0 && `, not ${a.exclude.join(", ")}`} · {a.note}
                </span>
              </span>
            </li>
          ))}
        </ul>
      </Aside>
      {uses.length === 0 && mayEdit && <AimForm policy={name} />}
      {uses.length === 0 && policy && mayDeploy && <DeletePolicy name={name} version={policy.version} />}
    </>
  );
}
