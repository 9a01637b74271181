import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { list, read } from "@/api/queries";
import { useRights } from "@/api/rights";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Choices } from "@/ui/filters";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";

const lengths = [
  { value: "30", label: "30 min" },
  { value: "60", label: "1 hour" },
  { value: "120", label: "2 hours" },
  { value: "240", label: "4 hours" },
  { value: "480", label: "8 hours" },
];

/** Asks that somebody is a member of a local group for a time. */
export function AskWarrant({ device = "" }: { device?: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button primary onClick={() => setOpen(true)}>
        Ask for a warrant …
      </Button>
      <Window
        open={open}
        close={() => setOpen(false)}
        title="Ask for a warrant"
        note="Somebody is a member of a local group for a time. It begins at once, or when somebody agrees where that is needed."
      >
        {open && <Form device={device} done={() => setOpen(false)} />}
      </Window>
    </>
  );
}

function Form({ device, done }: { device: string; done: () => void }) {
  const queries = useQueryClient();
  const may = useRights();
  const me = useQuery(read.session()).data?.name ?? "";
  const [named, setWho] = useState("");
  const who = may("ask") ? named : `user:${me}`; // whoever may ask for themselves alone
  const [devices, setDevices] = useState(device);
  const [fleet, setFleet] = useState(""); // a group of devices
  const [group, setGroup] = useState("administrators");
  const [minutes, setMinutes] = useState("120");
  const [reason, setReason] = useState("");
  const [ticket, setTicket] = useState("");
  const [despite, setDespite] = useState(false);
  const [sessions, setSessions] = useState(false);
  const names = devices.split(/[\s,]+/).filter(Boolean);
  const asking = useMutation({
    mutationFn: () =>
      change.askWarrant({
        principal: who.trim(),
        ...(names.length > 0 ? { devices: names } : { group: fleet.trim() }),
        local_group: group.trim(),
        minutes: Number(minutes),
        reason,
        ...(ticket.trim() && { ticket: ticket.trim() }),
        ...(despite && { despite }),
        ...(sessions && { end_sessions: sessions }),
      }),
    onSuccess: (made) => {
      toast.success(made.state === "waiting" ? "It waits for somebody to agree." : "It runs; the devices are told.");
      queries.invalidateQueries({ queryKey: list.warrants({}).key.slice(0, 1) });
      done();
    },
  });
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        asking.mutate();
      }}
    >
      <TextField
        label="Who"
        className="font-mono"
        placeholder="user:asta.holm@skerryline.example"
        value={who}
        readOnly={!may("ask")}
        onChange={(event) => setWho(event.target.value)}
      />
      <TextField
        label="On which devices (names, at most 50)"
        className="font-mono"
        value={devices}
        onChange={(event) => setDevices(event.target.value)}
      />
      {!device && (
        <TextField
          label="Or every device of a group, as it is now"
          value={fleet}
          onChange={(event) => setFleet(event.target.value)}
        />
      )}
      <TextField label="Local group" value={group} onChange={(event) => setGroup(event.target.value)} />
      <Choices label="For how long" value={minutes} onChange={setMinutes} choices={lengths} />
      <TextArea label="Why" rows={2} value={reason} onChange={(event) => setReason(event.target.value)} />
      <TextField label="Ticket (may be left out)" value={ticket} onChange={(event) => setTicket(event.target.value)} />
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={sessions} onChange={(event) => setSessions(event.target.checked)} />
        End this person's sessions with it
      </label>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={despite} onChange={(event) => setDespite(event.target.checked)} />
        Also where a policy asks the opposite; somebody else must agree
      </label>
      {asking.error && <Trouble error={asking.error} />}
      <WindowFoot>
        <div className="flex gap-2">
          <Button
            primary
            type="submit"
            disabled={asking.isPending || !who.trim() || (names.length === 0 && !fleet.trim()) || !reason.trim()}
          >
            Ask
          </Button>
          <Button onClick={done}>Cancel</Button>
        </div>
      </WindowFoot>
    </form>
  );
}
