import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import type { Schemas } from "@/api/types";
import { CodeField } from "@/domain/second-factor";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/page";

type SetUpProps = { made: Schemas["NewSecondFactor"]; done: (codes: string[]) => void; leave: () => void };

/** A new secret, as a picture and in letters, and the first code that turns it on. */
export function SetUp({ made, done, leave }: SetUpProps) {
  const [code, setCode] = useState("");
  const confirm = useMutation({
    mutationFn: change.confirmSecondFactor,
    onSuccess: (answer) => done(answer.codes),
    gcTime: 0,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (code.trim()) confirm.mutate(code.trim());
  };
  return (
    <form onSubmit={submit} className="space-y-3">
      <p>1. Scan this with a program for one-time codes, or type the secret into it.</p>
      <div className="flex items-center gap-5">
        <img src={made.image} alt="The secret as a QR code" width={200} height={200} className="bg-white p-2" />
        <code data-secret className="font-mono select-all">
          {made.secret.replace(/(.{4})/g, "$1 ").trim()}
        </code>
      </div>
      <p>2. Enter the code that it shows now.</p>
      <CodeField label="Code" value={code} onChange={(event) => setCode(event.target.value)} />
      {confirm.error && <Trouble error={new Error(confirm.error.message)} />}
      <div className="flex gap-2">
        <Button type="submit" primary disabled={confirm.isPending}>
          Turn on
        </Button>
        <Button onClick={leave}>Cancel</Button>
      </div>
    </form>
  );
}
