import type { DeviceWhy } from "@/api/types";
import { Words } from "@/domain/words";

/** One device on one screen: its standing, and desired, reported and decided by for every setting. */
/** What is wrong with the whole, though each unit for itself is settled. */
export function Problems({ why }: { why: DeviceWhy }) {
  if (why.problems.length === 0) return null;
  return (
    <ul className="mb-3 space-y-1">
      {why.problems.map((p) => (
        <li
          key={`${p.code} ${p.unit} ${p.words}`}
          className={`border-l-3 px-2.5 py-1 ${p.severity === "error" ? "border-l-held bg-held-wash" : "border-l-brass bg-sheet"}`}
        >
          <span className={`font-semibold ${p.severity === "error" ? "text-held" : "text-brass"}`}>
            {p.severity === "error" ? "▮▮ held" : "! warning"}
          </span>{" "}
          <span className="text-second">{p.unit}:</span> <Words>{p.words}</Words>
        </li>
      ))}
    </ul>
  );
}
