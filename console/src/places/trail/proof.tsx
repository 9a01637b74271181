import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Schemas } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { Aside, Trouble } from "@/ui/page";

/** Follows the trail from its first entry to the last, part by part; it says how far it is, and can be stopped. */
function useCheck() {
  const [found, setFound] = useState<Schemas["TrailCheck"] | null>(null);
  const [running, setRunning] = useState<AbortController | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const begin = async () => {
    const stop = new AbortController();
    setRunning(stop);
    setFound(null);
    setError(null);
    try {
      let anchored = 0;
      for (let after = 0; ; ) {
        const part = await change.checkTrail(after, stop.signal);
        anchored = Math.max(anchored, part.anchored);
        setFound({ ...part, anchored });
        if (part.broken || part.last >= part.head || part.last === after) break;
        after = part.last;
      }
    } catch (failed) {
      if (!stop.signal.aborted && failed instanceof Error) setError(failed);
    } finally {
      setRunning(null);
    }
  };
  return { found, running, error, begin };
}

/** Whether the trail is what was written, and how far it is signed. */
export function Proof() {
  const now = useNow();
  const queries = useQueryClient();
  const checkpoint = useQuery(read.checkpoint());
  const latest = checkpoint.data?.items[0];
  const check = useCheck();
  const signing = useMutation({
    mutationFn: change.makeCheckpoint,
    onSuccess: () => queries.invalidateQueries({ queryKey: read.checkpoint().queryKey }),
  });
  const { found, running } = check;
  return (
    <div data-tour="proof">
      <Aside title="Proof">
        <p>
          {latest ? (
            <>
              Signed up to entry <span className="font-semibold">{latest.seq}</span>, {ago(latest.at, now)}.
            </>
          ) : checkpoint.data ? (
            "Not signed yet: the first checkpoint comes within the hour."
          ) : (
            checkpoint.error && "Whether it is signed is not known: it could not be read."
          )}
        </p>
        <div role="status" className="mt-2">
          {running && (
            <>
              <progress
                className="w-full"
                value={found?.last ?? 0}
                max={found?.head ?? 1}
                aria-label="Entries checked"
              />
              <p className="text-second">{found ? `${found.last} of ${found.head} entries checked` : "Checking …"}</p>
            </>
          )}
          {!running && found && !found.broken && (
            <p className="border-l-4 border-green pl-3">
              Entries 1 to {found.last} hang together: none was changed, taken out or put in.{" "}
              {found.anchored > 0 && `Up to ${found.anchored} they are those of the signed checkpoints.`}
            </p>
          )}
          {found && found.broken > 0 && (
            <p className="border-l-4 border-red bg-red-wash py-1 pl-3">
              <span className="font-semibold text-red">Altered at entry {found.broken}.</span> {found.why}. Compare an
              export with the checkpoints that left the database.
            </p>
          )}
        </div>
        {check.error && <Trouble error={check.error} />}
        {signing.error && <Trouble error={signing.error} />}
        <div className="mt-3 flex gap-2">
          {running ? (
            <Button onClick={() => running.abort()}>Stop</Button>
          ) : (
            <Button onClick={check.begin}>Check all entries</Button>
          )}
          <Button onClick={() => signing.mutate()} disabled={signing.isPending}>
            Sign now
          </Button>
        </div>
        <p className="mt-3 text-second">
          Proof that needs no trust in this service: <code className="font-mono">rankwarden trail verify</code>, with
          checkpoints that were kept elsewhere.
        </p>
      </Aside>
    </div>
  );
}
