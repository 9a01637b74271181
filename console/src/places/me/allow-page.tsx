import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import { ago, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { useFilters } from "@/ui/filters";
import { Loading, PageHead, Trouble } from "@/ui/page";

/** Lets a program without a browser act as whoever is signed in, by the code that it shows. */
export function AllowPage() {
  const [params, set] = useFilters();
  const code = params.get("code") ?? "";
  return (
    <>
      <PageHead
        tab="Allow a program"
        title="Allow a program"
        note="A program without a browser of its own, such as the rankwarden command, asks to act as you."
      />
      <div className="max-w-[560px]">
        {code ? (
          <Decide key={code} code={code} other={() => set({ code: "" })} />
        ) : (
          <Enter enter={(typed) => set({ code: typed })} />
        )}
      </div>
    </>
  );
}

function Enter({ enter }: { enter: (code: string) => void }) {
  const [typed, setTyped] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (typed.trim()) enter(typed.trim().toUpperCase());
  };
  return (
    <form onSubmit={submit} className="space-y-3">
      <TextField
        label="Code that the program shows"
        placeholder="BCDF-GHJK"
        autoFocus
        className="font-mono tracking-[0.15em]"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Button type="submit" primary>
        Look
      </Button>
    </form>
  );
}

function Decide({ code, other }: { code: string; other: () => void }) {
  const now = useNow();
  const found = useQuery(read.deviceGrant(code));
  const deciding = useMutation({ mutationFn: (approve: boolean) => change.decideDeviceGrant(code, approve) });
  if (deciding.isSuccess) {
    return (
      <p role="status" className={`border-l-4 pl-3 ${deciding.variables ? "border-green" : "border-red"}`}>
        {deciding.variables
          ? "Allowed. The program goes on by itself; you can close this page."
          : "Refused. The program gets nothing."}
      </p>
    );
  }
  if (found.isPending) return <Loading />;
  if (found.error) {
    return (
      <>
        <Trouble error={found.error} />
        <Button onClick={other}>Enter another code</Button>
      </>
    );
  }
  const g = found.data;
  return (
    <div className="border-l-4 border-brass bg-sheet px-4 py-3">
      <p className="mb-2 font-semibold">
        {g.program} asks to act as you for {g.hours} {g.hours === 1 ? "hour" : "hours"}.
      </p>
      <p className="mb-1">
        It asked {ago(g.created_at, now)} from <span className="font-mono">{g.address}</span>.
      </p>
      <p className="mb-3">
        Allow it only if you started it yourself just now, and it shows this code:{" "}
        <span className="font-mono font-semibold tracking-[0.15em] whitespace-nowrap">{g.code}</span>
      </p>
      {deciding.error && <Trouble error={deciding.error} />}
      <div className="flex gap-2">
        <Button primary onClick={() => deciding.mutate(true)} disabled={deciding.isPending}>
          Allow
        </Button>
        <Button onClick={() => deciding.mutate(false)} disabled={deciding.isPending}>
          Refuse
        </Button>
      </div>
    </div>
  );
}
