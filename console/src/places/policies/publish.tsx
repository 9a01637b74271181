import { useState } from "react";
import type { Policy } from "@/api/types";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { useUses } from "./policy-asides";

/** Publishes the saved draft at once, after a question. */
export function Publish(props: { policy: Policy; first: string; busy: boolean; onPublish: () => void }) {
  const { policy, first } = props;
  const used = useUses(policy.name);
  const [open, setOpen] = useState(false);
  if (open && first !== "") setOpen(false); // it is asked again only when somebody presses the button again
  return (
    <>
      <Button primary disabled={props.busy || first !== ""} title={first || undefined} onClick={() => setOpen(true)}>
        Publish…
      </Button>
      <Ask
        open={open}
        title={`Publish revision ${policy.revision + 1} of ${policy.name}?`}
        yes="Publish to all at once"
        onYes={props.onPublish}
        onNo={() => setOpen(false)}
      >
        {used.length === 0
          ? "No assignment uses this policy, so no device changes."
          : `It goes to all devices of ${used.map((a) => a.name).join(", ")} at once, and online ones are told now.`}
      </Ask>
    </>
  );
}
