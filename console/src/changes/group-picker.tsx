import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useId } from "react";
import { read } from "@/api/queries";
import { useDrafted } from "@/changes/drafted";

type GroupPickerProps = {
  label: string;
  help: string;
  everything?: boolean; // the group of all devices may be picked
  value: string[];
  onChange: (groups: string[]) => void;
  problem?: string | undefined;
};

/** Picks groups, with the number of devices in each. */
export function GroupPicker({ label, help, everything, value, onChange, problem }: GroupPickerProps) {
  const id = useId();
  const groups = useQuery(read.groupNames());
  const known = groups.data?.items ?? [];
  const count = (name: string) => known.find((g) => g.name === name)?.enrolled;
  const drafted = useDrafted().filter((e) => e.kind === "group" && !known.some((g) => g.name === e.name));
  const left = [
    ...known.map((g) => ({ name: g.name, label: `${g.name} (${g.enrolled})` })),
    ...drafted.map((e) => ({ name: e.name, label: `${e.name} (in the draft change)` })),
  ].filter((g) => !value.includes(g.name));
  return (
    <div>
      <label htmlFor={id} className="font-semibold">
        {label} <span className="font-normal text-second">{help}</span>
      </label>
      <div className="flex flex-wrap items-center gap-1.5">
        {value.map((name) => (
          <span key={name} className="flex items-center gap-1 rounded-sm border border-hairline bg-sheet px-2 py-0.5">
            {name}
            {count(name) !== undefined && <span className="text-xs text-second">{count(name)}</span>}
            <button type="button" onClick={() => onChange(value.filter((g) => g !== name))} className="hover:text-red">
              <X className="size-3.5" aria-hidden="true" />
              <span className="sr-only">Remove {name}</span>
            </button>
          </span>
        ))}
        <select
          id={id}
          value=""
          onChange={(event) => event.target.value && onChange([...value, event.target.value])}
          className="rounded-sm border border-second bg-paper px-1.5 py-0.5"
          aria-invalid={problem ? true : undefined}
        >
          <option value="">Add a group …</option>
          {everything && !value.includes("everything") && <option value="everything">everything (all devices)</option>}
          {left.map((g) => (
            <option key={g.name} value={g.name}>
              {g.label}
            </option>
          ))}
        </select>
      </div>
      {value.length > 0 && value.every((name) => count(name) === 0) && (
        <p role="status" className="text-second">
          No device is in {value.length === 1 ? "this group" : "these groups"} yet: it takes effect when one is.
        </p>
      )}
      {problem && (
        <p role="alert" className="text-red">
          {problem}
        </p>
      )}
    </div>
  );
}
