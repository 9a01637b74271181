import { X } from "lucide-react";

export type Chip = { name: string; words: string }; // name: of the filter

/** The filters that hold, each of which can be taken away. */
export function FilterChips({ chips, remove }: { chips: Chip[]; remove: (names: string[]) => void }) {
  if (chips.length === 0) return null;
  return (
    <ul aria-label="Filters that hold" className="flex flex-wrap gap-1.5">
      {chips.map((chip) => (
        <li key={chip.words}>
          <button
            type="button"
            onClick={() => remove([chip.name])}
            className="flex items-center gap-1 rounded-sm border border-ink bg-sheet px-2 py-0.5 hover:border-red hover:text-red"
          >
            {chip.words}
            <X className="size-3.5" aria-hidden="true" />
            <span className="sr-only">: remove this filter</span>
          </button>
        </li>
      ))}
      {chips.length > 1 && (
        <li>
          <button
            type="button"
            onClick={() => remove(chips.map((chip) => chip.name))}
            className="px-1 py-0.5 font-semibold text-brass hover:underline"
          >
            Remove all
          </button>
        </li>
      )}
    </ul>
  );
}
