import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type EscrowKey, organisation, setUp } from "@/api/organisation";
import { usePages } from "@/api/pages";
import { read } from "@/api/queries";
import type { Schemas } from "@/api/types";
import { counted } from "@/domain/count";
import { ago, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { OrganisationParts } from "./parts";

const states: Record<EscrowKey["state"], { glyph: string; color: string; words: string }> = {
  new: { glyph: "◔", color: "text-waiting", words: "new: waits for the proof that a copy of it exists" },
  live: { glyph: "●", color: "text-green", words: "live: devices seal to it" },
  retired: { glyph: "○", color: "text-second", words: "retired: nothing new is sealed to it" },
};

/** Keys that passwords are sealed to: what each is for, who must decide, how sealing again goes. */
export function KeysPage() {
  const keys = useQuery(organisation.keys());
  const session = useQuery(read.session());
  return (
    <>
      <PageHead
        tab="Keys"
        title="Keys"
        note="Keys that passwords are sealed to. Private halves are never in the database, and never in a browser."
      />
      <OrganisationParts />
      {keys.error && <Trouble error={keys.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-7 max-[900px]:grid-cols-1">
        <div>
          {keys.isPending && <Loading />}
          <ul aria-label="Keys" className="mb-6">
            {keys.data?.items.map((k) => (
              <Key key={k.number} of={k} me={session.data?.name ?? ""} />
            ))}
          </ul>
          {!keys.isPending && <Unrecovered />}
        </div>
        <div>
          <Aside title="Create a key">
            <p className="mb-2">
              On a machine of yours; only the public half is sent. Keep a recovery key offline: it opens every password
              when the service is gone.
            </p>
            <Line text="rankwarden key create --use recovery --file recovery.json" />
            <p className="my-2">Copy the file to a safe place, and prove the copy. Then it goes live.</p>
            <Line text="rankwarden key prove NUMBER --copy COPY" />
            <p className="mt-2 text-second">
              A key for the service itself goes live once its private half is in the file named by escrow-keys, on every
              replica.
            </p>
          </Aside>
        </div>
      </div>
    </>
  );
}

function Line({ text }: { text: string }) {
  return (
    <pre className="overflow-auto border border-hairline bg-sheet p-2 font-mono text-sm whitespace-pre-wrap">
      {text}
    </pre>
  );
}

function Key({ of, me }: { of: EscrowKey; me: string }) {
  const now = useNow();
  const queries = useQueryClient();
  const [asked, setAsked] = useState<"retire" | "reseal">();
  const doing = useMutation({
    mutationFn: (what: () => Promise<unknown>) => what(),
    onSettled: () => queries.invalidateQueries({ queryKey: organisation.keys().queryKey }),
  });
  const state = states[of.state];
  const another = of.asked_by !== me && (of.asked !== "live" || of.made_by !== me);
  return (
    <li className="border-b border-hairline py-3">
      <div className="flex items-baseline gap-3">
        <span className="text-lg font-bold tabular-nums">{of.number}</span>
        <span className="font-semibold">
          {of.use === "recovery" ? "recovery key, kept offline" : "key of the service"}
        </span>
        <span className="grow text-second">
          made {ago(of.made_at, now)}
          {of.made_by && ` by ${of.made_by}`}
          {of.use === "recovery" &&
            of.state === "live" &&
            (of.drilled_at ? `, last drill ${ago(of.drilled_at, now)}` : ", no drill yet")}
        </span>
        <span className="tabular-nums">
          {counted(of.deposits)} {of.deposits === 1 ? "password" : "passwords"}
        </span>
      </div>
      <p>
        <span className={state.color}>
          {state.glyph} {state.words}.
        </span>{" "}
        {of.use === "escrow" && !of.held && (
          <span className="text-red">◆ The replica that answers does not have its private half.</span>
        )}
      </p>
      {of.asked && (
        <div className="mt-2 flex items-center gap-3 border-l-4 border-waiting bg-sheet px-3 py-2">
          <span className="grow">
            {of.asked_by} asks for it to {of.asked === "live" ? "go live" : "be retired"}. Another owner decides.
          </span>
          {another ? (
            <>
              <Button primary onClick={() => doing.mutate(() => setUp.decideKey(of.number, true))}>
                Approve
              </Button>
              <Button onClick={() => doing.mutate(() => setUp.decideKey(of.number, false))}>Decline</Button>
            </>
          ) : (
            <span className="text-second">Not you.</span>
          )}
        </div>
      )}
      <Reseal of={of.reseal} />
      {!of.asked && (
        <div className="mt-2 flex gap-2">
          {of.state !== "retired" && <Button onClick={() => setAsked("retire")}>Retire…</Button>}
          {of.state === "retired" && of.use === "escrow" && of.deposits > 0 && !of.reseal.by && (
            <Button onClick={() => setAsked("reseal")}>Seal {counted(of.deposits)} again…</Button>
          )}
          {of.reseal.by && <Button onClick={() => doing.mutate(() => setUp.stopReseal(of.number))}>Stop</Button>}
        </div>
      )}
      {doing.error && <Trouble error={doing.error} />}
      <Ask
        open={asked === "retire"}
        title={`Retire key ${of.number}?`}
        yes="Retire"
        onYes={() => doing.mutate(() => setUp.retireKey(of.number))}
        onNo={() => setAsked(undefined)}
      >
        Nothing new is sealed to it. What is sealed to it stays, and so must its private half, until it is sealed again.
      </Ask>
      <Ask
        open={asked === "reseal"}
        title={`Seal ${counted(of.deposits)} passwords again?`}
        yes="Seal again"
        onYes={() => doing.mutate(() => setUp.reseal(of.number))}
        onNo={() => setAsked(undefined)}
      >
        They are opened with key {of.number} and sealed to the newest live one, in the background. It can be stopped.
      </Ask>
    </li>
  );
}

/** How sealing again goes. */
function Reseal({ of }: { of: Schemas["KeyReseal"] }) {
  if (of.error) return <p className="text-red">◆ Sealing again ended before its end: {of.error}</p>;
  if (!of.by) return of.total > 0 ? <p className="text-second">{counted(of.done)} were sealed again.</p> : null;
  return (
    <div className="mt-1">
      <label className="flex items-center gap-3">
        <span>Sealing again</span>
        <progress className="grow accent-brass" max={Math.max(of.total, 1)} value={of.done} />
        <span className="tabular-nums">
          {counted(of.done)} of {counted(of.total)}
        </span>
      </label>
    </div>
  );
}

/** Current passwords that no recovery key opens. */
function Unrecovered() {
  const now = useNow();
  const missing = usePages(organisation.unrecovered());
  const columns: Column<Schemas["UnrecoveredPassword"]>[] = [
    {
      title: "Device",
      width: "minmax(120px,1fr)",
      sort: (u) => u.device,
      cell: (u) => (
        <Link to={`/devices/${encodeURIComponent(u.device)}`} className="font-mono">
          {u.device}
        </Link>
      ),
    },
    {
      title: "Account",
      width: "minmax(120px,1fr)",
      cell: (u) => <span className="font-mono">{u.name || u.account}</span>,
    },
    { title: "Stored", width: "120px", cell: (u) => ago(u.changed_at, now) },
  ];
  return (
    <section aria-label="Passwords without a recovery copy">
      <h2 className="mb-1 text-lg font-bold">Passwords without a recovery copy</h2>
      <p className="mb-2 text-second">
        They were stored before a recovery key was live. Each gets a copy at its next change; rotate it to have one now.
      </p>
      <PagedRows
        list={missing}
        empty="● Every current password has a recovery copy."
        label="Passwords without a recovery copy"
        narrow
        columns={columns}
        id={(u) => `${u.device_id} ${u.account}`}
      />
    </section>
  );
}
