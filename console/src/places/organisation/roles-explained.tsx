import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { rightWords } from "./roles";

/** What each role may, as the service says it. */
export function RolesExplained() {
  const roles = useQuery(read.roles()).data?.items ?? [];
  return (
    <section className="mt-6 border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">What each role may</h2>
      <p className="mb-2 max-w-[760px] text-second">
        A role holds on every device, or on those of some groups. Somebody may have several; an owner views passwords
        only with the role support beside it.
      </p>
      <dl className="grid grid-cols-[90px_minmax(0,1fr)] gap-x-3">
        {roles.map((r) => (
          <div key={r.role} className="col-span-2 grid grid-cols-subgrid border-b border-hairline py-1">
            <dt className="font-semibold">{r.role}</dt>
            <dd>
              {r.rights.map((right) => rightWords[right] ?? right).join("; ")}
              {r.everywhere && <span className="text-second">; always on every device</span>}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
