import { useReach } from "@/api/rights";

/** A number of devices: a dash where there may be some beyond the reach of whoever looks. */
export function InReach({ of, group }: { of: number; group?: string }) {
  const { limited, groups } = useReach();
  if (of > 0 || !limited || (group !== undefined && groups.includes(group))) return <>{of}</>;
  return (
    <span title="None in your reach; other devices are not counted">
      <span aria-hidden="true">–</span>
      <span className="sr-only">none in your reach</span>
    </span>
  );
}
