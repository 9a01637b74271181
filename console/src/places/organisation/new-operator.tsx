import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import { list } from "@/api/queries";
import type { Role } from "@/api/types";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { RolesForm } from "./roles";

/** A new operator of our own, with a first password. */
export function NewOperator({ made }: { made: (name: string) => void }) {
  const queries = useQueryClient();
  const [given, setGiven] = useState({ name: "", password: "", roles: [{ role: "viewer", groups: [] }] as Role[] });
  const creating = useMutation({
    mutationFn: change.createOperator,
    onSuccess: (o) => {
      queries.invalidateQueries({ queryKey: list.operators().key });
      made(o.name);
    },
    gcTime: 0, // the password is kept nowhere
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    creating.mutate({ ...given, name: given.name.trim() });
  };
  return (
    <form onSubmit={submit} className="space-y-3">
      <TextField
        quiet
        label="Name"
        autoComplete="off"
        value={given.name}
        onChange={(event) => setGiven({ ...given, name: event.target.value })}
      />
      <TextField
        quiet
        label="First password, of at least 12 characters"
        type="password"
        autoComplete="new-password"
        className="font-mono"
        value={given.password}
        onChange={(event) => setGiven({ ...given, password: event.target.value })}
      />
      <RolesForm value={given.roles} onChange={(roles) => setGiven({ ...given, roles })} />
      {creating.error && <Trouble error={creating.error} />}
      <Button primary type="submit" disabled={creating.isPending || !given.name.trim() || !given.password}>
        Create
      </Button>
    </form>
  );
}
