import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { read } from "@/api/queries";
import type { Change, ChangeEdit } from "@/api/types";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";
import { titleFrom } from "./words";

/** Turns a title into a name that the service takes. */
export const nameOf = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 60);

/** Starts a change under the name of its title, with a number behind it where that name is taken. */
export async function startChange(title: string, reason: string): Promise<Change> {
  for (let number = 1; ; number++) {
    const name = number === 1 ? nameOf(title) : `${nameOf(title)}-${number}`;
    try {
      return await change.newChange({ name, title, reason });
    } catch (error) {
      if (!(error instanceof Refusal) || error.status !== 409 || number === 20) throw error;
    }
  }
}

type ChooseProps = { edits?: ChangeEdit[]; open: boolean; close: () => void; chosen: (name: string) => void };

/** Asks for the change that edits go into: an open one, or a new one, whose title is proposed from the edits. */
export function ChooseChange({ edits = [], open, close, chosen }: ChooseProps) {
  return (
    <Window
      open={open}
      close={close}
      title="Which change?"
      note="Edits are gathered in a change, previewed together, and go out in one step."
    >
      <Drafts chosen={chosen} />
      <NewChange proposed={titleFrom(edits)} close={close} chosen={chosen} />
    </Window>
  );
}

function Drafts({ chosen }: { chosen: (name: string) => void }) {
  const open = useQuery(read.openChanges());
  const drafts = open.data?.items.filter((c) => c.state === "draft") ?? [];
  if (drafts.length === 0) return null;
  return (
    <ul className="mb-5 border-t border-hairline" aria-label="Open drafts">
      {drafts.map((c) => (
        <li key={c.name} className="flex items-center gap-3 border-b border-hairline py-1.5">
          <span className="min-w-0 grow">
            <span className="block truncate font-semibold">{c.title || c.name}</span>
            <span className="text-xs text-second">
              {c.edits} {c.edits === 1 ? "edit" : "edits"}, started by {c.created_by}
            </span>
          </span>
          <Button onClick={() => chosen(c.name)}>
            Use<span className="sr-only"> {c.title || c.name}</span>
          </Button>
        </li>
      ))}
    </ul>
  );
}

type NewChangeProps = { proposed: string; close: () => void; chosen: (name: string) => void };

function NewChange({ proposed, close, chosen }: NewChangeProps) {
  const [title, setTitle] = useState(proposed);
  const [reason, setReason] = useState("");
  const starting = useMutation({
    mutationFn: () => startChange(title, reason),
    onSuccess: (made) => chosen(made.name),
  });
  const start = (event: FormEvent) => {
    event.preventDefault();
    starting.mutate();
  };
  return (
    <form onSubmit={start} className="space-y-3">
      <TextField label="Title of a new change" value={title} onChange={(event) => setTitle(event.target.value)} />
      <TextField label="Reason (optional)" value={reason} onChange={(event) => setReason(event.target.value)} />
      {starting.error && <Trouble error={starting.error} />}
      <div className="flex justify-end gap-2">
        <Button onClick={close}>Cancel</Button>
        <Button primary type="submit" disabled={nameOf(title) === "" || starting.isPending}>
          Start change
        </Button>
      </div>
    </form>
  );
}
