import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { numberOf } from "@/domain/count";
import { ago, useNow } from "@/domain/time";
import { Choices } from "@/ui/filters";
import { Aside } from "@/ui/page";
import { CountRow } from "./count-row";

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
          <CountRow
            key={c.name}
            title={c.name}
            note={`since ${ago(c.oldest, now)}`}
            count={side === "device" ? numberOf(c.findings, "finding") : numberOf(c.devices, "device")}
            chosen={c.name === chosen}
            choose={() => choose(c.name === chosen ? "" : c.name)}
          />
        ))}
      </ul>
      {counts.data && counts.data.items.length + counts.data.more > shown && (
        <p className="mt-1 text-second">and {counts.data.items.length + counts.data.more - shown} more</p>
      )}
    </Aside>
  );
}

const shown = 8;
