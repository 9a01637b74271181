import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Device, Retirement } from "@/api/types";
import { dayOf } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Select, TextField } from "@/ui/field";
import { Aside, Trouble } from "@/ui/page";

const reasons: { value: Retirement["because"]; label: string }[] = [
  { value: "lost", label: "it is lost" },
  { value: "sold", label: "it was sold or given away" },
  { value: "reinstalled", label: "it is installed anew" },
  { value: "repair", label: "it is away for repair" },
];

/** The end of a device: the sheet of what it was, retiring it, and taking it back. */
export function EndOfLife({ device }: { device: Device }) {
  const may = useRights();
  const queries = useQueryClient();
  const [asking, setAsking] = useState<"retire" | "return" | null>(null);
  const [because, setBecause] = useState<Retirement["because"]>("lost");
  const [note, setNote] = useState("");
  const act = useMutation({
    mutationFn: (what: "retire" | "return") =>
      what === "retire" ? change.retire(device.id, { because, note }) : change.takeBack(device.id),
    onSuccess: (_, what) => {
      toast.success(what === "retire" ? `${device.name} is retired.` : `${device.name} is back.`);
      queries.invalidateQueries({ queryKey: read.device(device.name).queryKey });
    },
  });
  const retired = device.state === "retired";
  const yes = (what: "retire" | "return") => {
    act.mutate(what);
    setAsking(null);
  };
  return (
    <Aside title="End of life">
      {device.retired && (
        <p className="mb-2">
          Retired {dayOf(device.retired.at)} by {device.retired.by}: {device.retired.because}
          {device.retired.note && `, ${device.retired.note}`}. Its passwords are kept until{" "}
          {dayOf(device.retired.passwords_until)}.
        </p>
      )}
      <p className="flex flex-wrap items-center gap-3">
        <Link to={`/devices/${device.id}/handover`} className="font-semibold text-brass">
          Handover sheet
        </Link>
        {may("administer") && !retired && <Button onClick={() => setAsking("retire")}>Retire …</Button>}
        {may("administer") && retired && <Button onClick={() => setAsking("return")}>Take it back …</Button>}
      </p>
      {act.error && <Trouble error={act.error} />}
      <Ask
        open={asking === "retire"}
        title={`Retire ${device.name}?`}
        yes="Retire it"
        onYes={() => yes("retire")}
        onNo={() => setAsking(null)}
      >
        <p className="mb-3">
          It is told nothing more and may not report. Its passwords stay in escrow under its name for 180 days.
        </p>
        <div className="space-y-3">
          <Select
            label="Because"
            value={because}
            onChange={(value) => setBecause(value as Retirement["because"])}
            options={reasons}
          />
          <TextField
            label="Note"
            value={note}
            placeholder="such as a ticket"
            maxLength={500}
            onChange={(event) => setNote(event.target.value)}
          />
        </div>
      </Ask>
      <Ask
        open={asking === "return"}
        title={`Take ${device.name} back?`}
        yes="Take it back"
        onYes={() => yes("return")}
        onNo={() => setAsking(null)}
      >
        It is settled again with its key and its groups. Whoever had it may know its passwords, so each is changed as
        soon as it checks in.
      </Ask>
    </Aside>
  );
}
