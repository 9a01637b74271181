import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeDetail } from "@/api/types";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

/** Edits the title and the reason of a change. */
export function Describe({ of }: { of: ChangeDetail }) {
  const queries = useQueryClient();
  const [begun, begin] = useState<ChangeDetail | null>(null); // as it was when the window was opened
  const [title, setTitle] = useState("");
  const [reason, setReason] = useState("");
  const saving = useMutation({
    mutationFn: () => change.describeChange(of.name, begun?.version ?? of.version, { title, reason }),
    onSuccess: (now) => {
      queries.setQueryData(read.change(of.name).queryKey, now);
      begin(null);
    },
  });
  const open = () => {
    saving.reset();
    setTitle(of.title);
    setReason(of.reason);
    begin(of);
  };
  const save = (event: FormEvent) => {
    event.preventDefault();
    saving.mutate();
  };
  const approved = of.state === "waiting" || of.state === "approved";
  return (
    <>
      <Button onClick={open}>Edit title and reason…</Button>
      <Window
        open={begun !== null}
        close={() => begin(null)}
        title="Title and reason"
        note={`Whoever approves it reads them, and they are recorded.${approved ? " An approval lapses when they are edited." : ""}`}
      >
        <form onSubmit={save} className="space-y-3">
          <TextField label="Title" value={title} onChange={(event) => setTitle(event.target.value)} />
          <TextArea label="Reason" rows={4} value={reason} onChange={(event) => setReason(event.target.value)} />
          {saving.error && <Trouble error={saving.error} />}
          <div className="flex justify-end gap-2">
            <Button onClick={() => begin(null)}>Cancel</Button>
            <Button primary type="submit" disabled={saving.isPending}>
              Save
            </Button>
          </div>
        </form>
      </Window>
    </>
  );
}
