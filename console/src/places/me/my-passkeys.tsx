import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { canUsePasskeys, passkey, passkeys } from "@/api/passkeys";
import { read } from "@/api/queries";
import { ago, useNow } from "@/domain/time";
import { Button, TextButton } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";

/** One's own passkeys: a device or a key that signs one in by itself, with a fingerprint, a face or a number. */
export function MyPasskeys() {
  const now = useNow();
  const queries = useQueryClient();
  const ways = useQuery(read.signInWays());
  const list = useQuery(passkeys());
  const [name, setName] = useState("");
  const again = () => queries.invalidateQueries({ queryKey: passkeys().queryKey });
  const adding = useMutation({
    mutationFn: passkey.add,
    onSuccess: () => {
      setName("");
      again();
    },
  });
  const removing = useMutation({ mutationFn: passkey.remove, onSuccess: again });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    adding.mutate(name.trim());
  };
  return (
    <>
      <p className="mb-3">
        A passkey signs you in without a password: your device or key asks for a fingerprint, a face or a number. It
        works at this address only, so nobody can talk it out of you.
      </p>
      <ul aria-label="Your passkeys" className="mb-3">
        {list.data?.items.map((p) => (
          <li key={p.id} className="flex items-baseline gap-3 border-b border-hairline py-1">
            <span className="min-w-0 grow font-semibold break-words">{p.name}</span>
            <span className="text-second">
              {p.used_at ? `used ${ago(p.used_at, now)}` : `made ${ago(p.created_at, now)}`}
            </span>
            <TextButton onClick={() => removing.mutate(p.id)}>
              Remove<span className="sr-only"> {p.name}</span>
            </TextButton>
          </li>
        ))}
      </ul>
      {(adding.error ?? removing.error) && <Trouble error={(adding.error ?? removing.error) as Error} />}
      {canUsePasskeys(ways.data?.passkeys) ? (
        <form onSubmit={submit} className="flex items-end gap-2">
          <div className="grow">
            <TextField
              quiet
              label="Name of the device or key"
              maxLength={60}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          </div>
          <Button type="submit" disabled={adding.isPending || !name.trim()}>
            Add a passkey
          </Button>
        </form>
      ) : (
        <p className="text-second">
          {ways.data?.passkeys
            ? `Passkeys are for ${ways.data.passkeys}; open the console there to add one.`
            : "Passkeys need a name in the address of the console, instead of a number."}
        </p>
      )}
    </>
  );
}
