import type { Overview } from "@/api/types";

/** Kinds of decision that are about the service as a whole, and stand above everything else. */
export const ofTheService = new Set<string>(["frozen", "returned"]);

/** What holds for every device at the moment: a freeze, or a database that went back. */
export function ServiceNotes({ fleet }: { fleet: Overview }) {
  return fleet.decisions
    .filter((d) => ofTheService.has(d.kind))
    .map((d) => (
      <div key={d.title} role="alert" className="mb-3 border-l-4 border-red bg-red-wash px-4 py-2">
        <p className="font-semibold">
          <span aria-hidden className="text-red">
            ■
          </span>{" "}
          {d.title}
        </p>
        <p>{d.detail}.</p>
      </div>
    ));
}
