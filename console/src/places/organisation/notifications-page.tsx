import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { organisation, type Target } from "@/api/organisation";
import type { Schemas } from "@/api/types";
import { ago, soon, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { useFilters } from "@/ui/filters";
import { Aside, Loading, Nothing, PageHead, Trouble } from "@/ui/page";
import { Deliveries } from "./deliveries";
import { OrganisationParts } from "./parts";
import { TargetActions } from "./target-actions";
import { TargetForm } from "./target-form";

/** How deliveries to a target go, with a glyph beside the word. */
function Course({ of }: { of: Target }) {
  const now = useNow();
  if (!of.enabled) return <span className="text-second">○ off</span>;
  if (of.failures > 0 && of.next_attempt)
    return (
      <span className="text-red">
        ◆ {of.error} <span className="text-second">Next attempt {soon(of.next_attempt, now)}.</span>
      </span>
    );
  if (of.delivered_at) return <span className="text-green">● delivered {ago(of.delivered_at, now)}</span>;
  return <span className="text-second">nothing to deliver yet</span>;
}

/** Where notifications go, and what was delivered. */
export function NotificationsPage() {
  const [params, set] = useFilters();
  const targets = useQuery(organisation.targets());
  const [made, setMade] = useState<Schemas["NewNotificationTarget"] | null>(null);
  const chosen = targets.data?.items.find((t) => t.name === params.get("target"));
  return (
    <>
      <PageHead
        tab="Notifications"
        title="Notifications"
        note="Notifications tell other systems and people what happened."
      >
        {chosen && <Button onClick={() => set({ target: "" })}>New target</Button>}
      </PageHead>
      <OrganisationParts />
      {targets.error && <Trouble error={targets.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-7 max-[900px]:grid-cols-1">
        <div>
          {made?.secret && <Secret of={made} close={() => setMade(null)} />}
          {targets.isPending && <Loading />}
          {targets.data?.items.length === 0 && (
            <Nothing>Nobody is notified yet. Create a target with the form.</Nothing>
          )}
          <ul aria-label="Targets" className="mb-5">
            {targets.data?.items.map((t) => (
              <li key={t.name} className="border-b border-hairline py-2">
                <div className="flex items-baseline gap-3">
                  <button
                    type="button"
                    aria-current={t === chosen}
                    onClick={() => set({ target: t.name })}
                    className="font-semibold hover:underline aria-[current=true]:text-brass"
                  >
                    {t.name}
                  </button>
                  <span className="text-second">{t.kind}</span>
                  <span className="min-w-0 grow truncate font-mono text-sm" title={t.address}>
                    {t.address}
                  </span>
                  <span className="whitespace-nowrap text-second tabular-nums">
                    {t.waiting} waiting, <span className={t.failed > 0 ? "text-red" : ""}>{t.failed} failed</span>
                  </span>
                </div>
                <Course of={t} />
              </li>
            ))}
          </ul>
          {!targets.isPending && <Deliveries />}
        </div>
        <div>
          {chosen ? (
            <>
              <Aside title={chosen.name}>
                <TargetForm key={`${chosen.name} ${chosen.version}`} of={chosen} saved={setMade} />
              </Aside>
              <TargetActions of={chosen} made={setMade} gone={() => set({ target: "" })} />
            </>
          ) : (
            <Aside title="New target">
              <TargetForm
                of={undefined}
                saved={(t) => {
                  setMade(t);
                  set({ target: t.name });
                }}
              />
            </Aside>
          )}
        </div>
      </div>
    </>
  );
}

/** The secret of a webhook, shown this once. */
function Secret({ of, close }: { of: Schemas["NewNotificationTarget"]; close: () => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <section aria-label="Secret" className="mb-5 border-l-4 border-brass bg-sheet px-4 py-3">
      <p className="mb-2">
        <span className="font-semibold">The secret of {of.name} is shown this once.</span> Requests are signed with it
        (RFC 9421, hmac-sha256), so that the receiver can tell that they are yours.
      </p>
      <pre
        className="overflow-auto border border-hairline bg-paper p-2 font-mono text-sm break-all whitespace-pre-wrap"
        data-secret
      >
        {of.secret}
      </pre>
      <div className="mt-3 flex gap-2">
        <Button
          onClick={async () => {
            await navigator.clipboard.writeText(of.secret);
            setCopied(true);
          }}
        >
          {copied ? "Copied" : "Copy"}
        </Button>
        <Button primary onClick={close}>
          I have it
        </Button>
      </div>
    </section>
  );
}
