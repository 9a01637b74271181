import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { Role } from "@/api/types";

/** The roles, the least first. */
export const roles = ["viewer", "requester", "support", "author", "deployer", "auditor", "owner"] as const;

/** What each right is called in a list. */
export const rightNames: Record<string, string> = {
  look: "look",
  reveal: "view passwords",
  handle: "send orders",
  "ask-own": "ask for own warrants",
  ask: "ask for warrants",
  draft: "draft",
  deploy: "deploy",
  trail: "read the trail",
  administer: "administer",
};

/** What each right lets somebody do. */
export const rightWords: Record<string, string> = {
  look: "see devices, policies and drift",
  reveal: "view passwords, with a reason",
  handle: "send orders: rotate, unlock, end sessions",
  "ask-own": "ask for warrants for themselves; others agree",
  ask: "ask for warrants: rights for a time",
  draft: "draft policies, groups and assignments",
  deploy: "publish, roll out, revert, waive",
  trail: "read and export the trail",
  administer: "operators, tokens, devices, keys, settings",
};

type RolesProps = { value: Role[]; onChange: (value: Role[]) => void; disabled?: boolean };

/** The roles of somebody, each with the groups that it reaches; none is every device. */
export function RolesForm({ value, onChange, disabled }: RolesProps) {
  const known = useQuery(read.roles()).data?.items ?? [];
  const everywhere = new Set<string>(known.filter((r) => r.everywhere).map((r) => r.role));
  return (
    <fieldset disabled={disabled} className="space-y-1.5">
      <legend className="font-semibold">Roles</legend>
      {roles.map((role) => {
        const held = value.find((r) => r.role === role);
        return (
          <div key={role} className="grid grid-cols-[110px_1fr] items-center gap-2">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={held !== undefined}
                onChange={(event) =>
                  onChange(
                    event.target.checked
                      ? [...value, { role, groups: [] }]
                      : value.filter((other) => other.role !== role),
                  )
                }
              />
              {role}
            </label>
            {held && !everywhere.has(role) && (
              <input
                aria-label={`Groups of ${role}`}
                placeholder="every device, or groups"
                className="w-full rounded-sm border border-second bg-paper px-2 py-0.5 font-mono"
                defaultValue={held.groups.join(", ")}
                onChange={(event) => {
                  const groups = event.target.value.split(/[\s,]+/).filter(Boolean);
                  onChange(value.map((r) => (r.role === role ? { role, groups } : r)));
                }}
              />
            )}
            {held && everywhere.has(role) && <span className="text-second">on every device</span>}
          </div>
        );
      })}
    </fieldset>
  );
}
