import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { every, organisation, setUp, specOf, type Target } from "@/api/organisation";
import type { Schemas } from "@/api/types";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Aside, Trouble } from "@/ui/page";

/** What can be done with a target: try it, send failed deliveries again, switch it off, delete it. */
export function TargetActions({
  of,
  made,
  gone,
}: {
  of: Target;
  made: (t: Schemas["NewNotificationTarget"]) => void;
  gone: () => void;
}) {
  const queries = useQueryClient();
  const again = () => {
    queries.invalidateQueries({ queryKey: organisation.targets().queryKey });
    queries.invalidateQueries({ queryKey: every.deliveries });
  };
  const [asked, setAsked] = useState<"delete" | "secret">();
  const testing = useMutation({ mutationFn: () => setUp.testTarget(of.name), onSettled: again });
  const resending = useMutation({
    mutationFn: () => setUp.sendAgain(of.name),
    onSuccess: (sent) => {
      toast.success(`${sent.deliveries} sent again.`);
      again();
    },
  });
  const editing = useMutation({
    mutationFn: (edit: { enabled?: boolean; new_secret?: boolean }) =>
      setUp.editTarget(of.name, of.version, { ...specOf(of), ...edit }),
    onSuccess: (t) => {
      made(t);
      again();
    },
  });
  const deleting = useMutation({
    mutationFn: () => setUp.deleteTarget(of.name, of.version),
    onSuccess: () => {
      gone();
      again();
    },
  });
  const error = testing.error ?? resending.error ?? editing.error ?? deleting.error;
  return (
    <Aside title="Actions">
      <div className="flex flex-wrap gap-2">
        <Button primary disabled={testing.isPending} onClick={() => testing.mutate()}>
          Send a test
        </Button>
        <Button disabled={of.failed === 0 || resending.isPending} onClick={() => resending.mutate()}>
          Send {of.failed} failed again
        </Button>
        <Button onClick={() => editing.mutate({ enabled: !of.enabled })}>
          {of.enabled ? "Switch off" : "Switch on"}
        </Button>
        {of.kind === "webhook" && <Button onClick={() => setAsked("secret")}>New secret…</Button>}
        <Button onClick={() => setAsked("delete")}>Delete…</Button>
      </div>
      {testing.data && (
        <p role="status" className={`mt-2 ${testing.data.arrived ? "text-green" : "text-red"}`}>
          {testing.data.arrived ? "● The test message arrived." : `◆ It did not arrive: ${testing.data.error}`}
        </p>
      )}
      {error && <Trouble error={error} />}
      <Ask
        open={asked === "delete"}
        title={`Delete ${of.name}?`}
        yes="Delete"
        onYes={() => deleting.mutate()}
        onNo={() => setAsked(undefined)}
      >
        Nothing more goes there, and the list of its deliveries is deleted too.
      </Ask>
      <Ask
        open={asked === "secret"}
        title={`Make a new secret for ${of.name}?`}
        yes="Make it"
        onYes={() => editing.mutate({ new_secret: true })}
        onNo={() => setAsked(undefined)}
      >
        The old one ends at once: until the receiver knows the new one, it refuses what it gets, and it is sent again
        later.
      </Ask>
    </Aside>
  );
}
