import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { read } from "@/api/queries";
import type { ChangeDetail, ChangeEdit } from "@/api/types";
import { ChooseChange } from "./choose-change";
import { sameThing } from "./drafted";
import { takesEdits } from "./mine";
import { useMine } from "./use-mine";
import { kindWords } from "./words";

/** Whether a change took no edit because it ended, or is gone: the edit goes into another one then. */
const ended = (error: Error) => error instanceof Refusal && (error.code === "change_closed" || error.status === 404);

/** Adds edits to one's change; where it takes none, it is asked which one, or started. */
export function useAddEdit(added: (edits: ChangeEdit[]) => void = () => {}) {
  const { mine, choose } = useMine();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [waiting, setWaiting] = useState<ChangeEdit[] | null>(null); // until it is known which change they go into
  const adding = useMutation({
    mutationFn: async ({ name, edits }: { name: string; edits: ChangeEdit[] }) => {
      const before = queries.getQueryData(read.change(name).queryKey);
      let now: ChangeDetail | undefined;
      for (const edit of edits) {
        // Without what it replaces, somebody's edit would go unseen.
        const replaces = before?.edits.find((e) => sameThing(e, edit))?.version ?? 0;
        now = (await change.addEdit(name, { ...edit, replaces })).change;
      }
      return { now, lapsed: before?.state === "waiting" || before?.state === "approved" };
    },
    onError: (error, { name, edits }) => {
      queries.invalidateQueries(read.change(name)); // what is in the way is shown
      if (!ended(error)) return;
      adding.reset();
      setWaiting(edits);
    },
    onSuccess: async ({ now, lapsed }, { name, edits }) => {
      const { queryKey } = read.change(name);
      await queries.cancelQueries({ queryKey }); // a reading under way may be of before the edit
      queries.setQueryData(queryKey, now); // at once, for the page that is gone to next
      queries.invalidateQueries(read.openChanges());
      const what = edits.map((e) => `${kindWords[e.kind]} ${e.name}`).join(", ");
      const approval = lapsed ? " What was asked for or approved lapsed: it is a draft again." : "";
      toast.success(`Added to ${now?.title || name}: ${what}. Nothing is altered until it goes out.${approval}`, {
        action: { label: "Review", onClick: () => navigate(`/changes/${name}`) },
      });
      added(edits);
    },
  });
  const add = (edits: ChangeEdit[]) => {
    if (mine.at === "reading") adding.mutate({ name: mine.name, edits });
    else if (mine.at !== "none" && takesEdits(mine.change)) adding.mutate({ name: mine.change.name, edits });
    else setWaiting(edits);
  };
  const dialog = (
    <ChooseChange
      edits={waiting ?? []}
      open={waiting !== null}
      close={() => setWaiting(null)}
      chosen={(name) => {
        choose(name);
        setWaiting(null);
        if (waiting) adding.mutate({ name, edits: waiting });
      }}
    />
  );
  return { add, dialog, busy: adding.isPending, error: adding.error };
}
