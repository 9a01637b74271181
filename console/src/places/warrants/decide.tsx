import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { list, read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Warrant } from "@/api/types";
import { Button, TextButton } from "@/ui/button";
import { TextArea } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window, WindowFoot } from "@/ui/window";
import { holder } from "./words";

type Act = "agree" | "refuse" | "take back";

const says: Record<Act, { title: string; note: string; button: string; done: string }> = {
  agree: {
    title: "Agree to this warrant?",
    note: "The devices make the member as soon as they are online, and take the membership away at its end.",
    button: "Agree",
    done: "Agreed; the devices are told.",
  },
  refuse: {
    title: "Refuse this warrant?",
    note: "Nobody becomes a member. Whoever asked sees that you refused, and why.",
    button: "Refuse",
    done: "Refused.",
  },
  "take back": {
    title: "Take this warrant back?",
    note: "Devices that are online take the membership away at once, others when they come back, at the latest at its end.",
    button: "Take it back",
    done: "Taken back; the devices are told.",
  },
};

/** What somebody may do with a warrant. */
export function Decide({ warrant: w }: { warrant: Warrant }) {
  const may = useRights();
  const me = useQuery(read.session()).data?.name;
  const [act, setAct] = useState<Act | null>(null);
  const acts: Act[] = [];
  if (w.state === "waiting" && may("deploy") && w.asked_by !== me) acts.push("agree", "refuse");
  if ((w.state === "waiting" || w.state === "agreed") && (may("deploy") || w.asked_by === me)) acts.push("take back");
  return (
    <span className="flex flex-wrap gap-3">
      {acts.map((a) => (
        <TextButton key={a} onClick={() => setAct(a)}>
          {says[a].button} …<span className="sr-only"> the warrant of {holder(w)}</span>
        </TextButton>
      ))}
      {w.state === "waiting" && w.asked_by === me && <span className="text-second">somebody else agrees</span>}
      <Window
        open={act !== null}
        close={() => setAct(null)}
        title={act ? says[act].title : ""}
        note={act ? says[act].note : ""}
      >
        {act && <Ask act={act} of={w} done={() => setAct(null)} />}
      </Window>
    </span>
  );
}

function Ask({ act, of, done }: { act: Act; of: Warrant; done: () => void }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const acting = useMutation({
    mutationFn: () =>
      act === "take back"
        ? change.takeBackWarrant(of.id, reason)
        : change.decideWarrant(of.id, act === "agree", reason),
    onSuccess: () => {
      toast.success(says[act].done);
      queries.invalidateQueries({ queryKey: list.warrants({}).key.slice(0, 1) });
      done();
    },
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        acting.mutate();
      }}
    >
      <p className="mb-2">
        <b>{holder(of)}</b> in {of.unit_title} on <span className="font-mono">{of.devices.join(", ")}</span>, for{" "}
        {of.minutes} minutes: {of.reason}
      </p>
      <TextArea
        label="Why (may be left out)"
        rows={2}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      {acting.error && <Trouble error={acting.error} />}
      <WindowFoot>
        <div className="flex gap-2">
          <Button primary type="submit" disabled={acting.isPending}>
            {says[act].button}
          </Button>
          <Button onClick={done}>Cancel</Button>
        </div>
      </WindowFoot>
    </form>
  );
}
