import type { Fault } from "@/domain/tabular";

/** What is wrong with a table, by line. */
export function Faults({ faults }: { faults: Fault[] }) {
  if (faults.length === 0) return null;
  return (
    <ul role="alert" className="border-l-4 border-red bg-red-wash px-3 py-1.5">
      {faults.slice(0, 10).map((f) => (
        <li key={`${f.line} ${f.message}`}>
          line {f.line}: {f.message}
        </li>
      ))}
      {faults.length > 10 && <li>and {faults.length - 10} more</li>}
    </ul>
  );
}
