import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { list, read } from "@/api/queries";
import type { Sheet } from "@/api/types";
import { Button, TextButton } from "@/ui/button";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";
import { Given } from "./given";
import { Fresh, useSheet } from "./make-sheet";

/** What somebody may do with a sheet that is not made yet: approve it, decline it, or have one's own made. */
export function DecideSheet({ sheet: s }: { sheet: Sheet }) {
  const queries = useQueryClient();
  const me = useQuery(read.session()).data?.name;
  const [open, setOpen] = useState(false);
  const decide = useMutation({
    mutationFn: (approve: boolean) => change.decideSheet(s.id, approve),
    onSettled: () => queries.invalidateQueries({ queryKey: list.sheets().key.slice(0, 1) }),
  });
  const mine = s.created_by === me;
  const said = <span className="sr-only"> the sheet that {s.created_by} asked for</span>;
  return (
    <span className="flex flex-wrap gap-3">
      {s.state === "waiting" && !mine && (
        <>
          <TextButton onClick={() => decide.mutate(true)}>Approve{said}</TextButton>
          <TextButton onClick={() => decide.mutate(false)}>Decline{said}</TextButton>
        </>
      )}
      {s.state === "waiting" && mine && <span className="text-second">somebody else approves</span>}
      {s.state === "approved" && mine && <TextButton onClick={() => setOpen(true)}>Have it made …</TextButton>}
      {decide.error && <Trouble error={decide.error} />}
      <Window
        open={open}
        close={() => setOpen(false)}
        title="Have the sealed sheet made"
        note="It has the passwords as they are now, and counts as a view of each."
      >
        {open && <Collect of={s} done={() => setOpen(false)} />}
      </Window>
    </span>
  );
}

function Collect({ of, done }: { of: Sheet; done: () => void }) {
  const { made, stale, leave, making } = useSheet(() => change.collectSheet(of.id));
  if (made) return <Given made={made} done={done} />;
  if (stale) return <Fresh then={() => making.mutate()} leave={leave} />;
  return (
    <>
      {making.error && <Trouble error={making.error} />}
      <WindowFoot>
        <div className="flex gap-2">
          <Button primary onClick={() => making.mutate()} disabled={making.isPending}>
            Seal
          </Button>
          <Button onClick={done}>Cancel</Button>
        </div>
      </WindowFoot>
    </>
  );
}
