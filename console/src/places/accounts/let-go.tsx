import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { AccountOrder, AccountOrderPreview } from "@/api/types";
import { counted } from "@/domain/count";
import { Button, TextButton } from "@/ui/button";
import { Loading, Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";

type LetGoProps = { account: string; name: string; devices?: string[]; group?: string; enabled?: boolean };

/** The ways to let go of an account that no policy manages: each says what it would do before it is done. */
export function LetGo({ account, name, devices = [], group = "", enabled = true }: LetGoProps) {
  const may = useRights();
  const [what, setWhat] = useState<AccountOrder["do"] | null>(null);
  if (!may("deploy")) return null;
  return (
    <span className="flex flex-wrap gap-3">
      {enabled && <TextButton onClick={() => setWhat("disable")}>Disable …</TextButton>}
      <TextButton onClick={() => setWhat("remove")}>Remove …</TextButton>
      <Window
        open={what !== null}
        close={() => setWhat(null)}
        title={`${what === "disable" ? "Disable" : "Remove"} ${name}`}
        note="Nothing is done before you send it. Each device asks itself again, and keeps its last usable administrator."
      >
        {what && <Asked order={{ do: what, account, devices, group, files: "keep" }} done={() => setWhat(null)} />}
      </Window>
    </span>
  );
}

function Asked({ order, done }: { order: AccountOrder; done: () => void }) {
  const [files, setFiles] = useState<AccountOrder["files"]>("keep");
  const full = order.do === "remove" ? { ...order, files } : order;
  const seen = useQuery(read.accountOrder(full));
  const send = useMutation({
    mutationFn: (digest: string) => change.orderAccount({ ...full, digest }),
    onSuccess: (given) => {
      toast.success(`The order was sent to ${counted(given.given)} ${given.given === 1 ? "device" : "devices"}.`);
      done();
    },
    onError: () => seen.refetch(),
  });
  return (
    <>
      {order.do === "remove" && (
        <fieldset className="mb-3">
          <legend className="font-semibold">Its files</legend>
          <Files value="keep" now={files} set={setFiles} words="stay where they are" />
          <Files
            value="move"
            now={files}
            set={setFiles}
            words="go into a directory of the day, which only root reads (devices with Linux)"
          />
        </fieldset>
      )}
      {seen.isPending && <Loading />}
      {seen.error && <Trouble error={seen.error} />}
      {seen.data && <Seen of={seen.data} />}
      {send.error && <Trouble error={send.error} />}
      <WindowFoot>
        <div className="flex gap-2">
          <Button
            primary
            disabled={!seen.data || seen.data.devices === 0 || seen.data.needs.length > 0 || send.isPending}
            onClick={() => seen.data && send.mutate(seen.data.digest)}
          >
            {order.do === "disable" ? "Disable it" : "Remove it"}
          </Button>
          <Button onClick={done}>Cancel</Button>
        </div>
      </WindowFoot>
    </>
  );
}

type FilesProps = {
  value: NonNullable<AccountOrder["files"]>;
  now: AccountOrder["files"];
  set: (files: AccountOrder["files"]) => void;
  words: string;
};

function Files({ value, now, set, words }: FilesProps) {
  return (
    <label className="flex items-center gap-2">
      <input type="radio" name="files" checked={now === value} onChange={() => set(value)} />
      {words}
    </label>
  );
}

/** What the order would do. */
function Seen({ of }: { of: AccountOrderPreview }) {
  const hidden = of.devices + of.refused - of.accounts.length;
  return (
    <>
      <p className="mb-1 font-semibold">
        {counted(of.devices)} {of.devices === 1 ? "device" : "devices"}
        {of.privileged > 0 && `, on ${counted(of.privileged)} of them an administrator`}
        {of.refused > 0 && `; ${counted(of.refused)} left alone`}
      </p>
      {of.needs.length > 0 && (
        <p className="mb-2 border-l-4 border-waiting bg-waiting-wash px-3 py-2">
          One person alone cannot order this: {of.needs.join("; ")}. Have a policy do it, which a second person
          approves.
        </p>
      )}
      <ul className="max-h-64 overflow-auto">
        {of.accounts.map((a) => (
          <li key={`${a.device_id} ${a.name}`} className="border-b border-hairline py-1">
            <span className="font-mono">{a.device}</span>{" "}
            <span className="text-second">
              {a.refused
                ? `left alone: ${a.refused}`
                : a.last_sign_in
                  ? `last sign-in ${a.last_sign_in.slice(0, 10)}`
                  : "no sign-in known"}
            </span>
          </li>
        ))}
      </ul>
      {hidden > 0 && <p className="text-second">and {counted(hidden)} more</p>}
    </>
  );
}
