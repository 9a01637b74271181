import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { ChangeDetail, Preview } from "@/api/types";
import type { Action, Next } from "@/changes/next-step";
import { Button } from "@/ui/button";
import { type Asked, Questions } from "./questions";
import { StartRollout } from "./start-rollout";

const words: Record<Asked, string> = {
  ask: "Ask for approval…",
  apply: "Apply to all at once…",
  approve: "Approve these effects…",
  refuse: "Refuse…",
  revert: "Draft the way back…",
  again: "Draft again…",
};

/** The next step of a change: one button that takes it further, or for whom it waits; what is true now stands beside it. */
export function NextStep({ of, next, preview }: { of: ChangeDetail; next: Next; preview: Preview | undefined }) {
  const [asked, setAsked] = useState<Asked | "">("");
  const mayDeploy = useRights()("deploy");
  const draw = (action: Action, primary: boolean) => {
    if (action === "start") return <StartRollout key={action} of={of} preview={preview} />;
    if (action === "watch") return <Watch key={action} of={of} primary={primary} />;
    return (
      <Button key={action} primary={primary} onClick={() => setAsked(action)}>
        {words[action]}
      </Button>
    );
  };
  return (
    <section
      aria-label="Next step"
      className="mb-4 flex min-h-[58px] flex-wrap items-center gap-3 border-l-4 border-brass bg-sheet px-4 py-3"
    >
      {next.primary && draw(next.primary, true)}
      {next.others.map((action) => draw(action, false))}
      <p className="min-w-72 flex-1" role="status">
        {next.says}
        {of.state === "waiting" && of.own && mayDeploy && <WhoCould of={of} />}
      </p>
      <Questions step={asked} of={of} preview={preview} close={() => setAsked("")} />
    </section>
  );
}

function Watch({ of, primary }: { of: ChangeDetail; primary: boolean }) {
  return (
    <Link
      to={`/rollouts/${of.name}`}
      className={`rounded-sm border border-brass px-3 py-1 font-semibold whitespace-nowrap hover:no-underline ${primary ? "bg-brass text-on-brass" : "text-brass"}`}
    >
      {primary ? "Watch its rollout" : "Its rollout"}
    </Link>
  );
}

/** Who could approve a change that waits for somebody else. */
function WhoCould({ of }: { of: ChangeDetail }) {
  const found = useQuery(read.changeApprovers(of.name));
  if (!found.data) return null;
  const names = found.data.items.map((a) => a.name);
  const more = found.data.next ? " and others" : "";
  return (
    <>
      {" "}
      {names.length === 0
        ? "Nobody can: it takes a deployer who reaches all of its devices and had no part in it."
        : `Could: ${names.join(", ")}${more}.`}
    </>
  );
}
