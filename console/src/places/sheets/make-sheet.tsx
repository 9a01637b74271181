import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { list } from "@/api/queries";
import type { MadeSheet, Schemas } from "@/api/types";
import { Again } from "@/domain/again";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Choices } from "@/ui/filters";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";
import { Given } from "./given";

const lengths = [
  { value: "24", label: "a day" },
  { value: "168", label: "a week" },
  { value: "336", label: "2 weeks" },
  { value: "1440", label: "60 days" },
];

/** Seals passwords of some devices. */
export function MakeSheet() {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button primary onClick={() => setOpen(true)}>
        Make a sealed sheet …
      </Button>
      <Window
        open={open}
        close={() => setOpen(false)}
        title="Make a sealed sheet"
        note="It opens without the service. A device changes its passwords once it was away for an hour and comes back, at the latest when the sheet ends."
      >
        {open && <Form done={() => setOpen(false)} />}
      </Window>
    </>
  );
}

/** Makes a sheet, or one that was approved, and gives it once. The answer is kept nowhere else. */
export function useSheet(make: () => Promise<MadeSheet>) {
  const queries = useQueryClient();
  const [made, setMade] = useState<MadeSheet>();
  const [stale, setStale] = useState(false);
  const making = useMutation({
    mutationFn: async () => {
      setStale(false);
      setMade(await make());
    },
    onError: (error) => setStale(error instanceof Refusal && error.code === "sign_in_again"),
    onSettled: () => queries.invalidateQueries({ queryKey: list.sheets().key.slice(0, 1) }),
    gcTime: 0,
  });
  return { made, stale, leave: () => setStale(false), making };
}

/** Asks for a fresh sign-in before passwords are sealed. */
export function Fresh({ then, leave }: { then: () => void; leave: () => void }) {
  return <Again why="Passwords are sealed only within 15 minutes of a sign-in." then={then} leave={leave} />;
}

function Form({ done }: { done: () => void }) {
  const [devices, setDevices] = useState("");
  const [group, setGroup] = useState("");
  const [recipient, setRecipient] = useState("");
  const [hours, setHours] = useState("336");
  const [reason, setReason] = useState("");
  const names = devices.split(/[\s,]+/).filter(Boolean);
  const body: Schemas["SheetSpec"] = {
    reason,
    hours: Number(hours),
    ...(names.length > 0 && { devices: names }),
    ...(group.trim() && { group: group.trim() }),
    ...(recipient.trim() && { recipient: recipient.trim() }),
  };
  const { made, stale, leave, making } = useSheet(() => change.makeSheet(body));
  if (made?.sealed) return <Given made={made} done={done} />;
  if (made)
    return (
      <>
        <p role="status" className="text-waiting">
          ◔ It waits for a second person: {made.needs.join("; ")}. Once it is approved, have it made here.
        </p>
        <WindowFoot>
          <Button onClick={done}>Close</Button>
        </WindowFoot>
      </>
    );
  if (stale) return <Fresh then={() => making.mutate()} leave={leave} />;
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        making.mutate();
      }}
    >
      <TextField
        label="Devices (names, at most 100)"
        className="font-mono"
        value={devices}
        onChange={(event) => setDevices(event.target.value)}
      />
      <TextField label="Or every device of a group" value={group} onChange={(event) => setGroup(event.target.value)} />
      <Choices label="Good for" value={hours} onChange={setHours} choices={lengths} />
      <TextArea
        label="Why"
        rows={2}
        placeholder="A voyage, or a ticket"
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <TextField
        label="Seal it to a key (ten words where left out)"
        className="font-mono"
        placeholder="age1…"
        value={recipient}
        onChange={(event) => setRecipient(event.target.value)}
      />
      {making.error && <Trouble error={making.error} />}
      <WindowFoot>
        <div className="flex gap-2">
          <Button
            primary
            type="submit"
            disabled={making.isPending || (names.length === 0 && !group.trim()) || !reason.trim()}
          >
            Seal
          </Button>
          <Button onClick={done}>Cancel</Button>
        </div>
      </WindowFoot>
    </form>
  );
}
