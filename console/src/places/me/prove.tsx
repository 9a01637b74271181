import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { CodeField } from "@/domain/second-factor";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";

type ProveProps<T> = {
  verb: string;
  act: (given: { password: string; code: string }) => Promise<T>;
  done: (answer: T) => void;
  leave: () => void;
};

/** Asks for password and code before something is done to the second factor. */
export function Prove<T>({ verb, act, done, leave }: ProveProps<T>) {
  const [given, setGiven] = useState({ password: "", code: "" });
  const doing = useMutation({ mutationFn: act, onSuccess: done, gcTime: 0 });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (given.password && given.code.trim()) doing.mutate({ ...given, code: given.code.trim() });
  };
  return (
    <form onSubmit={submit} className="space-y-3">
      <TextField
        label="Your password"
        type="password"
        autoComplete="current-password"
        className="font-mono"
        value={given.password}
        onChange={(event) => setGiven({ ...given, password: event.target.value })}
      />
      <CodeField
        autoFocus={false}
        value={given.code}
        onChange={(event) => setGiven({ ...given, code: event.target.value })}
      />
      {doing.error && <Trouble error={new Error(doing.error.message)} />}
      <div className="flex gap-2">
        <Button type="submit" primary disabled={doing.isPending}>
          {verb}
        </Button>
        <Button onClick={leave}>Cancel</Button>
      </div>
    </form>
  );
}
