import type { Overview } from "@/api/types";

/** Which versions of the agent devices run, most devices first. */
export function Versions({ fleet }: { fleet: Overview }) {
  if (fleet.versions.length === 0) return null;
  const said = fleet.versions.map((v) => `${v.version || "unknown"} on ${v.devices}`);
  return <p className="mt-6 text-second">Agent versions in use: {said.join(", ")}</p>;
}
