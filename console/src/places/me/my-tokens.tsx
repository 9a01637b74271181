import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { every, organisation, setUp } from "@/api/organisation";
import { usePages } from "@/api/pages";
import { read } from "@/api/queries";
import { soon, useNow } from "@/domain/time";
import { Button, TextButton } from "@/ui/button";
import { Select, TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";

/** One's own API tokens: for programs that act with one's rights or fewer, until a day. */
export function MyTokens() {
  const now = useNow();
  const queries = useQueryClient();
  const session = useQuery(read.session());
  const tokens = usePages(organisation.myTokens());
  const [given, setGiven] = useState({ name: "", role: "", days: "30" });
  const again = () => queries.invalidateQueries({ queryKey: every.tokens });
  const creating = useMutation({
    mutationFn: setUp.createToken,
    onSuccess: () => {
      setGiven({ ...given, name: "" });
      again();
    },
    gcTime: 0, // the secret is kept nowhere
  });
  const revoking = useMutation({ mutationFn: setUp.revokeToken, onSuccess: again });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    creating.mutate({
      name: given.name.trim(),
      ...(given.role ? { role: given.role as "viewer" } : {}),
      expires_in_hours: Math.round(Number(given.days) * 24),
    });
  };
  const live = tokens.items.filter((t) => !t.revoked && Date.parse(t.expires_at) > now);
  return (
    <>
      {creating.data && (
        <div className="mb-3 border-l-4 border-brass bg-sheet px-3 py-2">
          <p className="mb-1 font-semibold">The token is shown this once:</p>
          <pre className="font-mono text-sm break-all whitespace-pre-wrap" data-secret>
            {creating.data.secret}
          </pre>
          <Button className="mt-2" onClick={() => creating.reset()}>
            I have it
          </Button>
        </div>
      )}
      <ul aria-label="Your API tokens" className="mb-3">
        {live.map((t) => (
          <li key={t.id} className="flex items-baseline gap-3 border-b border-hairline py-1">
            <span className="min-w-0 grow break-words">{t.name}</span>
            <span className="text-second">{t.role || "all your roles"}</span>
            <span className="whitespace-nowrap text-second">ends {soon(t.expires_at, now)}</span>
            <TextButton onClick={() => revoking.mutate(t.id)}>
              Revoke<span className="sr-only"> {t.name}</span>
            </TextButton>
          </li>
        ))}
      </ul>
      {live.length === 0 && tokens.read && <p className="mb-3 text-second">None.</p>}
      <form onSubmit={submit} className="space-y-2">
        <TextField
          quiet
          label="What a new token is for"
          value={given.name}
          onChange={(event) => setGiven({ ...given, name: event.target.value })}
        />
        <TextField
          quiet
          label="Days until it ends"
          inputMode="numeric"
          value={given.days}
          onChange={(event) => setGiven({ ...given, days: event.target.value })}
        />
        <Select
          label="May do"
          value={given.role}
          onChange={(role) => setGiven({ ...given, role })}
          options={[
            { value: "", label: "all that you may" },
            ...(session.data?.roles ?? []).map((r) => ({ value: r.role, label: `what a ${r.role} may` })),
          ]}
        />
        {(creating.error ?? revoking.error) && <Trouble error={(creating.error ?? revoking.error) as Error} />}
        <Button type="submit" disabled={creating.isPending || !given.name.trim() || !(Number(given.days) > 0)}>
          Create token
        </Button>
      </form>
    </>
  );
}
