import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { ChangeEvent } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { Aside, Trouble } from "@/ui/page";

const words: Record<ChangeEvent["what"], string> = {
  created: "started it",
  edited: "added",
  edit_removed: "removed",
  retitled: "changed title or reason",
  approval_requested: "asked for approval",
  approved: "approved",
  refused: "refused",
  approval_lapsed: "approval lapsed",
  applied: "applied",
  dropped: "dropped it",
  rollout_started: "started its rollout",
  rollout_resumed: "resumed its rollout",
  reverted: "reverted it:",
};

/** What happened to a change, newest first. */
export function History({ name }: { name: string }) {
  const now = useNow();
  const events = usePages(list.changeHistory(name));
  return (
    <Aside title="History">
      {events.error && <Trouble error={events.error} />}
      <ul>
        {events.items.map((e) => (
          <li key={`${e.at} ${e.what} ${e.detail}`} className="border-b border-hairline py-1">
            <span className="font-semibold">{e.who}</span> {words[e.what]} {e.detail}
            <span className="block text-xs text-second">{ago(e.at, now)}</span>
          </li>
        ))}
      </ul>
    </Aside>
  );
}
