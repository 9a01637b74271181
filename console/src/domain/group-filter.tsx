import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { Select } from "@/ui/field";

/** Narrows a list to a group. */
export function GroupFilter({ value, onChange }: { value: string; onChange: (group: string) => void }) {
  const groups = useQuery(read.groupNames());
  const names = groups.data?.items.map((g) => ({ value: g.name, label: g.name })) ?? [];
  return (
    <Select label="Group" value={value} onChange={onChange} options={[{ value: "", label: "everything" }, ...names]} />
  );
}
