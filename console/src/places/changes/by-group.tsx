import type { Preview } from "@/api/types";
import { Aside } from "@/ui/page";

/** How many devices a change affects in which groups. */
export function ByGroup({ preview }: { preview: Preview }) {
  if (preview.devices === 0) return null;
  const more = Math.max(0, preview.groups.length - 8) + preview.more_groups;
  return (
    <Aside title={`Devices ${preview.devices}`}>
      <ul>
        {preview.groups.slice(0, 8).map((g) => (
          <li key={g.group} className="flex gap-3 border-b border-hairline py-1">
            <span className="min-w-0 grow font-mono text-sm break-words">{g.group}</span>
            <span className="font-semibold">{g.devices}</span>
          </li>
        ))}
      </ul>
      {more > 0 && <p className="text-second">and {more} more groups; a device can be in several</p>}
    </Aside>
  );
}
