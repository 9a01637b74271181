import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeDetail, ChangeEdit } from "@/api/types";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";
import { useCurrentChange } from "./current";
import { sameThing } from "./drafted";
import { kindWords } from "./words";

/** Adds edits to the current change; where there is none, it is asked which one, or started. */
export function useAddEdit(added: (edits: ChangeEdit[]) => void = () => {}) {
  const [current, choose] = useCurrentChange();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [waiting, setWaiting] = useState<ChangeEdit[] | null>(null); // until it is known which change they go into
  const adding = useMutation({
    mutationFn: async ({ name, edits }: { name: string; edits: ChangeEdit[] }) => {
      const seen = queries.getQueryData(read.change(name).queryKey)?.edits ?? [];
      let now: ChangeDetail | undefined;
      for (const edit of edits) {
        const replaces = seen.find((e) => sameThing(e, edit))?.version ?? 0; // else somebody's edit would go unseen
        now = (await change.addEdit(name, { ...edit, replaces })).change;
      }
      return now;
    },
    onError: (_, { name }) => queries.invalidateQueries(read.change(name)), // what is in the way is shown
    onSuccess: async (now, { name, edits }) => {
      const { queryKey } = read.change(name);
      await queries.cancelQueries({ queryKey }); // a reading under way may be of before the edit
      queries.setQueryData(queryKey, now); // at once, for the page that is gone to next
      queries.invalidateQueries(read.openChanges());
      const what = edits.map((e) => `${kindWords[e.kind]} ${e.name}`).join(", ");
      toast.success(`Added to ${name}: ${what}. Nothing is altered until it goes out.`, {
        action: { label: "Review and start", onClick: () => navigate(`/changes/${name}`) },
      });
      added(edits);
    },
  });
  const add = (edits: ChangeEdit[]) => {
    if (current) adding.mutate({ name: current, edits });
    else setWaiting(edits);
  };
  const dialog = (
    <ChooseChange
      open={waiting !== null}
      close={() => setWaiting(null)}
      chosen={(name) => {
        choose(name);
        setWaiting(null);
        if (waiting) adding.mutate({ name, edits: waiting });
      }}
    />
  );
  return { add, dialog, current, busy: adding.isPending, error: adding.error };
}

/** Turns a title into a name that the service takes. */
export const nameOf = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);

/** Asks for the change that edits go into: an open one, or a new one. */
export function ChooseChange(props: { open: boolean; close: () => void; chosen: (name: string) => void }) {
  const open = useQuery({ ...read.openChanges(), enabled: props.open });
  const [title, setTitle] = useState("");
  const [reason, setReason] = useState("");
  const starting = useMutation({
    mutationFn: () => change.newChange({ name: nameOf(title), title, reason }),
    onSuccess: (made) => props.chosen(made.name),
  });
  const start = (event: FormEvent) => {
    event.preventDefault();
    starting.mutate();
  };
  const drafts = open.data?.items.filter((c) => c.state === "draft") ?? [];
  return (
    <Window
      open={props.open}
      close={props.close}
      title="Which change?"
      note="Edits are gathered in a change, previewed together, and applied in one step."
    >
      {drafts.length > 0 && (
        <ul className="mb-5 border-t border-hairline" aria-label="Open drafts">
          {drafts.map((c) => (
            <li key={c.name} className="flex items-center gap-3 border-b border-hairline py-1.5">
              <span className="min-w-0 grow">
                <span className="block truncate font-semibold">{c.title || c.name}</span>
                <span className="text-xs text-second">
                  {c.edits} {c.edits === 1 ? "edit" : "edits"}, started by {c.created_by}
                </span>
              </span>
              <Button onClick={() => props.chosen(c.name)}>
                Use<span className="sr-only"> {c.title || c.name}</span>
              </Button>
            </li>
          ))}
        </ul>
      )}
      <form onSubmit={start} className="space-y-3">
        <TextField label="Title of a new change" value={title} onChange={(event) => setTitle(event.target.value)} />
        <TextField label="Reason (optional)" value={reason} onChange={(event) => setReason(event.target.value)} />
        {starting.error && <Trouble error={starting.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={props.close}>Cancel</Button>
          <Button primary type="submit" disabled={nameOf(title) === "" || starting.isPending}>
            Start change
          </Button>
        </div>
      </form>
    </Window>
  );
}
