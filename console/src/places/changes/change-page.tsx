import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { Refusal } from "@/api/client";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { ChangeDetail } from "@/api/types";
import { takesEdits } from "@/changes/mine";
import { nextStep } from "@/changes/next-step";
import { useMine } from "@/changes/use-mine";
import { isClosed, stateWords } from "@/changes/words";
import { devicesOf } from "@/domain/outcome";
import { useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Loading, NotThere, PageHead, Trouble } from "@/ui/page";
import { Affected } from "./affected";
import { ByGroup } from "./by-group";
import { Describe } from "./describe";
import { Edits } from "./edits";
import { Effects } from "./effects";
import { History } from "./history";
import { NextStep } from "./next";
import { StepBar } from "./step-bar";
import { stepWords } from "./step-words";

/** One change: its way, its next step, what it would do, and its edits. */
export function ChangePage() {
  const { name = "" } = useParams();
  const found = useQuery(read.change(name));
  if (found.isPending) return <Loading />;
  if (found.error instanceof Refusal && found.error.status === 404) {
    return (
      <NotThere what={`There is no change ${name}.`} to="/changes">
        All changes
      </NotThere>
    );
  }
  if (!found.data) return <Trouble error={found.error as Error} />;
  return <Whole key={name} of={found.data} />;
}

function Whole({ of }: { of: ChangeDetail }) {
  const may = useRights();
  const now = useNow();
  const { mine, choose, leave } = useMine();
  const previewed = !isClosed(of.state) && of.edits.length > 0;
  const preview = useQuery({ ...read.changePreview(of.name, of.version), enabled: previewed });
  const next = nextStep(of, may, preview.data);
  const verified = useVerified(of);
  const mayEdit = may("draft") && takesEdits(of);
  const isMine = "change" in mine && mine.change.name === of.name;
  return (
    <>
      <PageHead
        tab={of.title || of.name}
        title={of.title || of.name}
        note={`${stateWords[of.state]} · started by ${of.created_by}${of.reason ? ` · “${of.reason}”` : ""}`}
      >
        {mayEdit && !isMine && <Button onClick={() => choose(of.name)}>Add my edits here</Button>}
        {mayEdit && isMine && <Button onClick={leave}>Stop adding edits here</Button>}
        {mayEdit && <Describe of={of} />}
        {mayEdit && !of.rollout && <Drop of={of} />}
      </PageHead>
      <StepBar at={next.step} words={stepWords(of, preview.data, verified, now)} />
      <NextStep of={of} next={next} preview={preview.data} />
      {of.problem && (
        <div role="alert" className="mb-3 border-l-4 border-red bg-red-wash px-4 py-2">
          {of.problem}
        </div>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_400px] gap-8 max-[900px]:grid-cols-1">
        <div>
          {preview.isFetching && !preview.data && <Loading />}
          {preview.error && <Trouble error={preview.error} />}
          {preview.data && <Effects preview={preview.data} />}
          {preview.data && preview.data.devices > 0 && <Affected name={of.name} version={of.version} />}
          {!previewed && <Edits of={of} mayEdit={mayEdit} />}
        </div>
        <div>
          {previewed && <Edits of={of} mayEdit={mayEdit} />}
          {preview.data && <ByGroup preview={preview.data} />}
          <History name={of.name} />
        </div>
      </div>
    </>
  );
}

/** How many devices have verified what a change asked of them, in words; empty while none was told. */
function useVerified(of: ChangeDetail): string {
  const out = of.state === "going_out" || of.state === "done";
  const rollout = useQuery({ ...read.rollout(of.name), enabled: out && of.waves });
  const fleet = useQuery({ ...read.watch(), enabled: out && !of.waves });
  if (rollout.data) return `${rollout.data.tally.verified} of ${devicesOf(rollout.data.tally)} devices`;
  if (fleet.data) return `${fleet.data.online_verified} of ${fleet.data.online} online devices have all asked of them`;
  return "";
}

function Drop({ of }: { of: ChangeDetail }) {
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  const dropping = useMutation({
    mutationFn: () => change.dropChange(of.name, ""),
    onSuccess: (now) => {
      queries.setQueryData(read.change(of.name).queryKey, now);
      toast.success(`${of.title || of.name} was dropped. None of its edits was made.`);
    },
  });
  return (
    <>
      <Button onClick={() => setAsking(true)}>Drop…</Button>
      <Ask
        open={asking}
        title="Drop this change?"
        yes="Drop it"
        onYes={() => dropping.mutate()}
        onNo={() => setAsking(false)}
      >
        None of its edits is made. It stays in the list of all changes, and can be drafted again.
      </Ask>
      {dropping.error && <Trouble error={dropping.error} />}
    </>
  );
}
