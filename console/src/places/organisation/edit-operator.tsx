import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { list, read } from "@/api/queries";
import type { Operator } from "@/api/types";
import { Ask } from "@/ui/ask";
import { Button } from "@/ui/button";
import { Aside, Trouble } from "@/ui/page";
import { GivePassword } from "./give-password";
import { RolesForm, rightWords } from "./roles";

type Edit = Parameters<typeof change.editOperator>[1];

/** One operator: what all the roles come to, and what can be changed. Every change ends sessions and tokens. */
export function EditOperator({ of }: { of: Operator }) {
  const queries = useQueryClient();
  const me = useQuery(read.session()).data?.name;
  const [given, setGiven] = useState(of.roles);
  const [asked, setAsked] = useState<{ title: string; verb: string; edit: Edit }>();
  const editing = useMutation({
    mutationFn: (edit: Edit) => change.editOperator(of.name, edit),
    onSuccess: () => {
      toast.success(`${of.name} was changed; sessions and tokens have ended.`);
      queries.invalidateQueries({ queryKey: list.operators().key });
    },
  });
  const altered = JSON.stringify(given) !== JSON.stringify(of.roles);
  return (
    <>
      <Aside title={of.name}>
        <p className="mb-1 text-second">What this person may see and do:</p>
        <ul className="space-y-1">
          {of.rights.map((r) => (
            <li key={r.right}>
              {rightWords[r.right] ?? r.right}
              <span className="text-second">
                {r.groups.length > 0 ? `, on ${r.groups.join(", ")}` : ", on every device"}
              </span>
            </li>
          ))}
        </ul>
      </Aside>
      <Aside title="Change">
        {of.at_provider ? (
          <p className="mb-3">The groups of the identity provider give the roles, at every sign-in.</p>
        ) : (
          <>
            <RolesForm value={given} onChange={setGiven} />
            <Button
              primary
              className="mt-3"
              disabled={!altered || given.length === 0 || editing.isPending}
              onClick={() => editing.mutate({ roles: given })}
            >
              Save roles
            </Button>
          </>
        )}
        {editing.error && <Trouble error={editing.error} />}
        <div className="mt-3 flex flex-wrap gap-2">
          <Button
            onClick={() =>
              of.disabled
                ? editing.mutate({ disabled: false })
                : setAsked({ title: `Keep ${of.name} from signing in?`, verb: "Disable", edit: { disabled: true } })
            }
          >
            {of.disabled ? "Let sign in again" : "Disable…"}
          </Button>
          {!of.at_provider && !of.sealed && of.name !== me && <GivePassword name={of.name} />}
          {!of.at_provider && (
            <Button
              onClick={() =>
                setAsked({
                  title: `Take the second factor of ${of.name} away?`,
                  verb: "Reset",
                  edit: { reset_second_factor: true },
                })
              }
            >
              Reset second factor…
            </Button>
          )}
        </div>
      </Aside>
      <Ask
        open={asked !== undefined}
        title={asked?.title ?? ""}
        yes={asked?.verb ?? ""}
        onYes={() => {
          if (asked) editing.mutate(asked.edit);
          setAsked(undefined);
        }}
        onNo={() => setAsked(undefined)}
      >
        Sessions and API tokens of this person end.
      </Ask>
    </>
  );
}
