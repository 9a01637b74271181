import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { ago, useNow } from "@/domain/time";
import { Choices } from "@/ui/filters";
import { Aside } from "@/ui/page";

export type Side = "assignment" | "group" | "device";

type BySideProps = {
  side: Side;
  look: (side: Side) => void;
  narrow: { group?: string; unit?: string; kind?: string };
  chosen: string; // the one that the list is narrowed to
  choose: (name: string) => void;
};

/** Open findings counted by the assignment that decided, by group or by device; one of them narrows the list. */
export function BySide({ side, look, narrow, chosen, choose }: BySideProps) {
  const now = useNow();
  const counts = useQuery({ ...read.findingCounts(side, narrow), placeholderData: keepPreviousData });
  return (
    <Aside title="Where they are">
      <Choices
        label="Count by"
        value={side}
        onChange={look}
        choices={[
          { value: "assignment", label: "Assignment" },
          { value: "group", label: "Group" },
          { value: "device", label: "Device" },
        ]}
      />
      <ul className="mt-2">
        {counts.data?.items.slice(0, shown).map((c) => (
          <li key={c.name} className="border-b border-hairline">
            <button
              type="button"
              aria-pressed={c.name === chosen}
              onClick={() => choose(c.name === chosen ? "" : c.name)}
              className={`flex w-full justify-between gap-3 px-2 py-1.5 text-left hover:bg-sheet ${c.name === chosen ? "bg-ink font-semibold text-paper hover:bg-ink" : ""}`}
            >
              <span className="min-w-0">
                <span className="block truncate">{c.name}</span>
                <span className={`block text-xs ${c.name === chosen ? "" : "text-second"}`}>
                  since {ago(c.oldest, now)}
                </span>
              </span>
              <span className="text-right whitespace-nowrap">
                {side === "device"
                  ? `${c.findings} ${c.findings === 1 ? "finding" : "findings"}`
                  : `${c.devices} ${c.devices === 1 ? "device" : "devices"}`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {counts.data && counts.data.items.length + counts.data.more > shown && (
        <p className="mt-1 text-second">and {counts.data.items.length + counts.data.more - shown} more</p>
      )}
    </Aside>
  );
}

const shown = 8;
