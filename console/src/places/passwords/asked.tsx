import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Approval } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

/** Reveals that wait for a second person. */
export function Asked() {
  const queries = useQueryClient();
  const now = useNow();
  const may = useRights()("reveal");
  const approvals = useQuery({ ...read.approvals(), enabled: may });
  const me = useQuery(read.session()).data?.name;
  const decide = useMutation({
    mutationFn: ({ of, approve }: { of: Approval; approve: boolean }) => change.decideApproval(of.id, approve),
    onSettled: () => queries.invalidateQueries(read.approvals()),
  });
  const waiting = approvals.data?.items ?? [];
  if (waiting.length === 0) return null;
  return (
    <section className="mb-4 border-l-4 border-held px-4 py-2">
      <h2 className="font-bold">Waiting for approval</h2>
      {decide.error && <Trouble error={decide.error} />}
      <ul>
        {waiting.map((a) => (
          <li key={a.id} className="flex items-center gap-3 py-1">
            <span className="grow">
              <b>{a.created_by}</b> asks to see {a.account} on <span className="font-mono">{a.device}</span>: {a.reason}{" "}
              <span className="text-second">({ago(a.created_at, now)})</span>
            </span>
            {a.approved ? (
              <span className="text-green">✓ approved by {a.decided_by}: view it within the hour</span>
            ) : a.created_by === me ? (
              <span className="text-waiting">◔ waits for somebody else who may view it</span>
            ) : (
              <>
                <Button primary onClick={() => decide.mutate({ of: a, approve: true })}>
                  Approve the view
                </Button>
                <Button onClick={() => decide.mutate({ of: a, approve: false })}>Decline</Button>
              </>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
