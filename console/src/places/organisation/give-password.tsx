import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { change } from "@/api/changes";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { Window } from "@/ui/window";

/** Gives somebody who has forgotten theirs a first password. */
export function GivePassword({ name }: { name: string }) {
  const [open, setOpen] = useState(false);
  const [password, setPassword] = useState("");
  const close = () => {
    setOpen(false);
    setPassword("");
    giving.reset();
  };
  const giving = useMutation({
    mutationFn: () => change.editOperator(name, { password }),
    onSuccess: () => {
      close();
      toast.success(`${name} has a first password. Sessions and API tokens of ${name} have ended.`);
    },
    gcTime: 0, // the password is kept nowhere
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    giving.mutate();
  };
  return (
    <>
      <Button onClick={() => setOpen(true)}>Give a first password…</Button>
      <Window
        open={open}
        close={close}
        title={`Give ${name} a first password`}
        note={`Sessions and API tokens of ${name} end. ${name} signs in with it once, and chooses another one before anything else. A second factor stays.`}
      >
        <form onSubmit={submit} className="space-y-3">
          <TextField
            label="First password, of at least 12 characters"
            type="password"
            autoComplete="new-password"
            className="font-mono"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          {giving.error && <Trouble error={giving.error} />}
          <div className="flex justify-end gap-2">
            <Button onClick={close}>Cancel</Button>
            <Button primary type="submit" disabled={giving.isPending || password.length < 12}>
              Give it
            </Button>
          </div>
        </form>
      </Window>
    </>
  );
}
