import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

/** Deletes a policy that nothing uses. */
export function DeletePolicy({ name, version }: { name: string; version: number }) {
  const [asking, setAsking] = useState(false);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const deleting = useMutation({
    mutationFn: () => change.deletePolicy(name, version),
    onSuccess: () => {
      queries.removeQueries(read.policy(name));
      toast.success(`Deleted the policy ${name}.`);
      navigate("/policies", { replace: true });
    },
  });
  return (
    <div className="mt-3">
      <Button onClick={() => setAsking(true)} disabled={deleting.isPending}>
        Delete policy…
      </Button>
      {deleting.error && <Trouble error={deleting.error} />}
      <Ask
        open={asking}
        title={`Delete the policy ${name}?`}
        yes="Delete it"
        onYes={() => {
          deleting.mutate();
          setAsking(false);
        }}
        onNo={() => setAsking(false)}
      >
        Its draft and its revisions go with it. No device is altered, since no assignment uses it; the audit trail keeps
        the last document.
      </Ask>
    </div>
  );
}
