import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { ChangeDetail, Preview, RolloutSummary } from "@/api/types";
import { useCurrentChange } from "@/changes/current";
import { PreviewSums, Way } from "@/changes/sums";
import { isClosed, stateWords } from "@/changes/words";
import { rolloutStates } from "@/domain/outcome";
import { ago, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { Affected } from "./affected";
import { Describe } from "./describe";
import { Edits } from "./edits";
import { History } from "./history";
import { StartRollout } from "./start-rollout";

/** One change: its edits, what they would do, and what is needed before it goes out. */
export function ChangePage() {
  const { name = "" } = useParams();
  const found = useQuery(read.change(name));
  if (found.isPending) return <Loading />;
  if (!found.data) return <Trouble error={found.error as Error} />;
  return <Whole key={name} of={found.data} />;
}

const closed = (c: ChangeDetail) => isClosed(c.state);

/** Whether edits may be altered: not while they go out. */
const mayAlter = (c: ChangeDetail) => !closed(c) && !["running", "done"].includes(c.rollout);

function Whole({ of }: { of: ChangeDetail }) {
  const may = useRights();
  const now = useNow();
  const [current, choose] = useCurrentChange();
  const preview = useQuery({
    ...read.changePreview(of.name, of.version),
    enabled: !closed(of) && of.edits.length > 0,
  });
  const mayEdit = may("draft") && mayAlter(of);
  return (
    <>
      <PageHead
        tab={of.title || of.name}
        title={of.title || of.name}
        note={`${stateWords[of.state]} · started by ${of.created_by} · last edited ${ago(of.updated_at, now)}`}
      >
        {mayEdit && of.name !== current && <Button onClick={() => choose(of.name)}>Add my edits here</Button>}
        {mayEdit && of.name === current && <Button onClick={() => choose("")}>Stop adding edits here</Button>}
        {mayEdit && <Describe of={of} />}
        {mayEdit && !of.rollout && <Drop of={of} />}
        {may("draft") && of.state === "done" && <TakeBack of={of} />}
        {may("deploy") && !closed(of) && (!of.rollout || of.state === "waiting") && (
          <Steps of={of} preview={preview.data} />
        )}
      </PageHead>
      {of.reason && <p className="mb-3">{of.reason}</p>}
      {of.rollout && (
        <div role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          <Link to={`/rollouts/${of.name}`} className="font-semibold">
            Its rollout
          </Link>{" "}
          is {rolloutStates[of.rollout as RolloutSummary["state"]]?.word ?? of.rollout}.{" "}
          {mayAlter(of) ? "What is edited here goes out when it is resumed." : "To edit the change, pause its rollout."}
        </div>
      )}
      {of.state === "waiting" && (
        <div role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          {of.asked_by} asked for it to go out. A second person must approve it: {of.needs.join("; ")}.
        </div>
      )}
      {of.problem && (
        <div role="alert" className="mb-3 border-l-4 border-red bg-red-wash px-4 py-2">
          {of.problem}
        </div>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_400px] gap-7">
        <div>
          <Edits of={of} mayEdit={mayEdit} />
          {preview.data && preview.data.devices > 0 && <Affected name={of.name} version={of.version} />}
        </div>
        <div>
          {!closed(of) && (
            <Aside title="What this change does">
              <div aria-live="polite">
                {of.edits.length === 0 && <p className="text-second">Add an edit to see what it would do.</p>}
                {preview.isFetching && !preview.data && <Loading />}
                {preview.error && <Trouble error={preview.error} />}
                {preview.data && <PreviewSums preview={preview.data} />}
                {of.state === "draft" &&
                  preview.data?.needs.map((why) => (
                    <p key={why} className="mt-3 border-l-4 border-waiting bg-waiting-wash px-3 py-1.5">
                      A second person must approve it: {why}.
                    </p>
                  ))}
              </div>
            </Aside>
          )}
          <History name={of.name} />
        </div>
      </div>
    </>
  );
}

function Drop({ of }: { of: ChangeDetail }) {
  const queries = useQueryClient();
  const [current, choose] = useCurrentChange();
  const [asking, setAsking] = useState(false);
  const dropping = useMutation({
    mutationFn: () => change.dropChange(of.name, ""),
    onSuccess: (now) => {
      queries.setQueryData(read.change(of.name).queryKey, now);
      if (current === of.name) choose("");
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
        None of its edits is made. It stays in the list of all changes.
      </Ask>
      {dropping.error && <Trouble error={dropping.error} />}
    </>
  );
}

/** Drafts the opposite of a change that went out. */
function TakeBack({ of }: { of: ChangeDetail }) {
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState("");
  const drafting = useMutation({
    mutationFn: () => change.revertChange(of.name, reason),
    onSuccess: (draft) => navigate(`/changes/${draft.name}`),
  });
  return (
    <>
      <Button onClick={() => setAsking(true)}>Take back…</Button>
      <Ask
        open={asking}
        title={`Draft what takes ${of.name} back?`}
        yes="Draft it"
        onYes={() => drafting.mutate()}
        onNo={() => setAsking(false)}
      >
        Nothing is done yet. You look at the draft, and it goes out like any other change.
        <TextField label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
      </Ask>
      {drafting.error && <Trouble error={drafting.error} />}
    </>
  );
}

/** What takes a change further: apply it, or approve or refuse it as a second person. */
function Steps({ of, preview }: { of: ChangeDetail; preview: Preview | undefined }) {
  const queries = useQueryClient();
  const [asking, setAsking] = useState<"" | "apply" | "approve" | "refuse">("");
  const [reason, setReason] = useState("");
  const done = (now: ChangeDetail) => {
    queries.setQueryData(read.change(of.name).queryKey, now);
    queries.invalidateQueries(read.changePreview(of.name, now.version));
    setAsking("");
  };
  const digest = preview?.digest ?? "";
  const needsReason = !of.reason && (preview?.ways.length ?? 0) > 0;
  const applying = useMutation({
    mutationFn: () => change.applyChange(of.name, digest, needsReason ? reason : ""),
    onSuccess: done,
  });
  const deciding = useMutation({
    mutationFn: (approve: boolean) => change.decideChange(of.name, { approve, reason, digest }),
    onSuccess: done,
  });
  const error = applying.error ?? deciding.error;
  const ready = preview !== undefined && of.edits.length > 0 && !of.problem && !of.edits.some((e) => e.conflict);
  const needsSecond = of.state === "draft" && (preview?.needs.length ?? 0) > 0;
  return (
    <>
      {of.state === "waiting" && (
        <>
          <Button onClick={() => setAsking("refuse")}>Refuse…</Button>
          <Button primary disabled={!preview || preview.part} onClick={() => setAsking("approve")}>
            Approve…
          </Button>
        </>
      )}
      {of.state !== "waiting" && (
        <>
          {/* As wide with either label: the buttons beside it must not move when the preview arrives. */}
          <Button
            primary={needsSecond}
            className="min-w-36"
            disabled={!ready || preview.part || applying.isPending}
            onClick={() => setAsking("apply")}
          >
            {needsSecond ? "Ask for approval…" : "Apply…"}
          </Button>
          <StartRollout of={of} preview={preview} disabled={!ready || preview.part || needsSecond} />
        </>
      )}
      <Ask
        open={asking === "apply"}
        title={needsSecond ? `Ask a second person to approve ${of.name}?` : `Apply ${of.name} to all devices at once?`}
        yes={needsSecond ? "Ask for approval" : "Apply to all devices"}
        ready={!needsReason || reason.trim() !== ""}
        onYes={() => applying.mutate()}
        onNo={() => setAsking("")}
      >
        {preview && <Summary preview={preview} edits={of.edits.length} />}
        {needsReason && (
          <TextField
            label="Why: it gives, takes or moves a way in"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
        )}
      </Ask>
      <Ask
        open={asking === "approve"}
        title={`Approve ${of.name}?`}
        yes="Approve"
        onYes={() => deciding.mutate(true)}
        onNo={() => setAsking("")}
      >
        {preview && <Summary preview={preview} edits={of.edits.length} />}
      </Ask>
      <Ask
        open={asking === "refuse"}
        title={`Refuse ${of.name}?`}
        yes="Refuse"
        onYes={() => deciding.mutate(false)}
        onNo={() => setAsking("")}
      >
        It becomes a draft again.
        <TextField label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
      </Ask>
      {error && (
        <div className="fixed right-6 bottom-6 z-20 w-96 bg-sheet shadow-xl">
          <Trouble error={error} />
        </div>
      )}
    </>
  );
}

/** A preview in a question: how many devices, and which ways in it gives, takes or moves. */
function Summary({ preview, edits }: { preview: Preview; edits: number }) {
  const held = preview.sums.filter((s) => s.effect === "held");
  return (
    <span className="block">
      {edits} {edits === 1 ? "edit takes" : "edits take"} effect on {preview.devices}{" "}
      {preview.devices === 1 ? "device" : "devices"}, and online ones are told now.
      {preview.ways.slice(0, 5).map((w) => (
        <span key={`${w.effect} ${w.words}`} className="mt-1 block text-red">
          <Way of={w} />
        </span>
      ))}
      {preview.ways.length > 5 && (
        <span className="mt-1 block text-red">and {preview.ways.length - 5} more, see the preview</span>
      )}
      {held.length > 0 && (
        <span className="mt-1 block text-red">
          ✕ {held.length === 1 ? held[0]?.words : `${held.length} settings become held`}
        </span>
      )}
    </span>
  );
}
