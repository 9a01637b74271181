import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { ChangeDetail, Preview, Schemas } from "@/api/types";
import { GroupPicker } from "@/changes/group-picker";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Loading, Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

type StartProps = { of: ChangeDetail; preview: Preview | undefined };

/** Takes a change out in waves: which devices go first, how the waves grow, what each must show. */
export function StartRollout({ of, preview }: StartProps) {
  const [open, setOpen] = useState(false);
  const defaults = useQuery({ ...read.rolloutDefaults(), enabled: open });
  return (
    <>
      <Button primary onClick={() => setOpen(true)}>
        Start rollout…
      </Button>
      <Window
        open={open}
        close={() => setOpen(false)}
        title={`Take ${of.title || of.name} out in waves?`}
        note={`${preview?.devices ?? 0} ${preview?.devices === 1 ? "device is" : "devices are"} affected. The next wave opens when the last one has passed its gate.`}
      >
        {defaults.isPending && <Loading />}
        {defaults.error && <Trouble error={defaults.error} />}
        {defaults.data && preview && (
          <Form of={of} preview={preview} defaults={defaults.data} close={() => setOpen(false)} />
        )}
      </Window>
    </>
  );
}

type FormProps = { of: ChangeDetail; preview: Preview; defaults: Schemas["RolloutDefaults"]; close: () => void };

/** Reads growing shares such as 10, 50; undefined for anything else. */
export function sharesIn(text: string): number[] | undefined {
  const shares = text
    .split(/[\s,%]+/)
    .filter(Boolean)
    .map(Number);
  const grow = shares.every((n, i) => Number.isInteger(n) && n >= 1 && n <= 99 && n > (shares[i - 1] ?? 0));
  return grow ? shares : undefined;
}

/** Minutes of a number of seconds, as one would write them: 20 seconds are 0.33. */
export const minutesOf = (seconds: number) => String(Math.round((seconds / 60) * 100) / 100);

function Form({ of, preview, defaults, close }: FormProps) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [first, setFirst] = useState<string[]>([]);
  const [sharesText, setShares] = useState(defaults.shares.join(", "));
  const [verified, setVerified] = useState(String(defaults.gate.verified));
  const [failed, setFailed] = useState(String(defaults.gate.failed));
  const [heard, setHeard] = useState(String(defaults.gate.heard));
  const [soak, setSoak] = useState(minutesOf(defaults.gate.soak_seconds));
  const [atOnce, setAtOnce] = useState(false);
  const [reason, setReason] = useState("");
  const needsReason = !of.reason && preview.ways.length > 0;
  const shares = sharesIn(sharesText);
  const starting = useMutation({
    mutationFn: () =>
      change.startRollout({
        change: of.name,
        digest: preview.digest,
        ...(needsReason && { reason }),
        at_once: atOnce,
        gate: {
          verified: Number(verified),
          failed: Number(failed),
          heard: Number(heard),
          soak_seconds: Math.round(Number(soak) * 60),
        },
        ...(!atOnce && { first, shares: shares ?? [] }),
      }),
    onSuccess: (step) => {
      if (step.change) queries.setQueryData(read.change(of.name).queryKey, step.change);
      else queries.invalidateQueries(read.change(of.name));
      if (step.rollout) navigate(`/rollouts/${of.name}`);
      else close();
    },
  });
  const number = (label: string, value: string, set: (text: string) => void) => (
    <TextField label={label} inputMode="decimal" value={value} onChange={(event) => set(event.target.value)} />
  );
  return (
    <form
      className="space-y-3"
      onSubmit={(event) => {
        event.preventDefault();
        starting.mutate();
      }}
    >
      {!atOnce && (
        <>
          <GroupPicker
            label="First wave"
            help="with none chosen: the group first-wave, or 1 % of the devices and at least five"
            value={first}
            onChange={setFirst}
          />
          <TextField
            label="Then up to these percentages of all devices, then the rest"
            value={sharesText}
            problem={shares ? undefined : "Write whole numbers from 1 to 99 that grow, such as 10, 50."}
            onChange={(event) => setShares(event.target.value)}
          />
        </>
      )}
      <fieldset>
        <legend className="mb-1 font-semibold">Gate of each wave</legend>
        <div className="grid grid-cols-2 gap-3">
          {number("Verified, at least %", verified, setVerified)}
          {number("Failed or lost, at most %", failed, setFailed)}
          {number("Online devices heard from, at least %", heard, setHeard)}
          {number("Soak, minutes", soak, setSoak)}
        </div>
      </fieldset>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={atOnce} onChange={(event) => setAtOnce(event.target.checked)} />
        All devices at once, in an emergency
      </label>
      {needsReason && (
        <TextField
          label="Why: it gives, takes or moves a way in"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      )}
      {starting.error && <Trouble error={starting.error} />}
      <div className="flex justify-end gap-2">
        <Button onClick={close}>Cancel</Button>
        <Button
          primary
          type="submit"
          disabled={starting.isPending || (!atOnce && !shares) || (needsReason && !reason.trim())}
        >
          {atOnce ? "Start for all devices" : "Start the first wave"}
        </Button>
      </div>
    </form>
  );
}
