import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { read } from "@/api/queries";
import type { Deposit, RevealResult } from "@/api/types";
import { clock, stamp, useNow } from "@/domain/time";
import { Button } from "@/ui/button";
import { OpensNothing } from "./opens-nothing";
import { groupsOf, spelled } from "./spell";

/** Seconds for which a password stays in sight. */
export const inSight = 30;

type ShownProps = { revealed: RevealResult; hide: () => void };

/** The passwords in sight, until the time is up. Nothing of them stands where a screen reader reads by itself. */
export function Shown({ revealed, hide }: ShownProps) {
  const { left, more } = useTimeLeft(hide);
  const passwords = useQuery(read.devicePasswords(revealed.about.device));
  const now = useNow();
  const known = passwords.data?.items.find((p) => p.account === revealed.about.account);
  const several = revealed.candidates.length > 1;
  return (
    <section aria-label="The password" className="border-l-4 border-brass bg-sheet px-4 py-3">
      {several && (
        <p className="mb-2 font-semibold text-waiting">
          A change is under way: any of these may be the right one. Try the newest first.
        </p>
      )}
      {revealed.about.disabled && <OpensNothing />}
      <ul className="space-y-3">
        {revealed.candidates.map((c) => (
          <Candidate
            key={`${c.deposit.epoch}.${c.deposit.number}`}
            password={c.password}
            deposit={c.deposit}
            state={stateNow(c.deposit, known?.deposits)}
            former={several || c.deposit.state === "former"}
            now={now}
          />
        ))}
      </ul>
      {revealed.rotates_at && (
        <p className="mt-2">
          Because you viewed it, it rotates at <b>{stamp(revealed.rotates_at)}</b>.
        </p>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <span className="grow text-second tabular-nums">hidden in {left} s</span>
        <Button onClick={more}>{inSight} s more</Button>
        <Button onClick={hide}>Hide now</Button>
      </div>
    </section>
  );
}

/** Counts down, and hides what is shown at the end; more begins anew. */
function useTimeLeft(hide: () => void): { left: number; more: () => void } {
  const [until, setUntil] = useState(() => Date.now() + inSight * 1000);
  const [left, setLeft] = useState(inSight);
  const end = useRef(hide);
  end.current = hide;
  useEffect(() => {
    const count = () => {
      const rest = Math.ceil((until - Date.now()) / 1000);
      setLeft(rest);
      if (rest <= 0) end.current();
    };
    count();
    const timer = setInterval(count, 250);
    return () => clearInterval(timer);
  }, [until]);
  return { left, more: () => setUntil(Date.now() + inSight * 1000) };
}

/** What became of a deposit since it was shown: replaced, about to be, or nothing. */
export function stateNow(of: Deposit, deposits: Deposit[] | undefined): "good" | "changing" | "replaced" {
  const now = deposits?.find((d) => d.epoch === of.epoch && d.number === of.number);
  if (!deposits || !now || of.state === "former") return "good"; // a former one is shown as what it is
  if (now.state === "former") return "replaced";
  const newer = deposits.some((d) => d.state === "pending" && d.deposited_at > now.deposited_at);
  return newer ? "changing" : "good";
}

type CandidateProps = {
  password: string;
  deposit: Deposit;
  state: ReturnType<typeof stateNow>;
  former: boolean; // its state and time are said
  now: number;
};

function Candidate({ password, deposit, state, former, now }: CandidateProps) {
  const [spell, setSpell] = useState(false);
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(password);
    setCopied(true);
  };
  return (
    <li>
      <code
        data-secret
        className={`block font-mono text-lg leading-8 tracking-[0.06em] break-all select-all ${state === "replaced" ? "text-second line-through" : ""}`}
      >
        {groupsOf(password).map((group, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the groups of one password never move
          <span key={at} className="mr-[0.5em] inline-block">
            {[...group].map((char, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the characters of one password never move
              <span key={i} className={/[0-9]/.test(char) ? "text-brass" : /[a-z]/i.test(char) ? "" : "text-held"}>
                {char}
              </span>
            ))}
          </span>
        ))}
      </code>
      {state === "replaced" && (
        <p role="alert" className="font-semibold text-red">
          ✕ A rotation has replaced it: it opens nothing any more.
        </p>
      )}
      {state === "changing" && (
        <p role="alert" className="font-semibold text-waiting">
          ◔ A rotation is in progress: this password, or the newer one, opens the account.
        </p>
      )}
      <p className="flex flex-wrap items-center gap-x-3 text-second">
        <span className="grow">
          as <span className="font-mono">{deposit.name}</span>
          {former && `, ${deposit.state}, made ${clock(deposit.deposited_at, now)}`}
        </span>
        {navigator.clipboard && (
          <button type="button" className="font-semibold text-brass hover:underline" onClick={copy}>
            {copied ? "Copied" : "Copy"}
          </button>
        )}
        <button
          type="button"
          aria-expanded={spell}
          className="font-semibold text-brass hover:underline"
          onClick={() => setSpell(!spell)}
        >
          {spell ? "Do not spell it" : "Spell it"}
        </button>
      </p>
      {spell && (
        <ol data-secret className="mt-1 grid grid-cols-2 gap-x-4 text-sm">
          {[...password].map((char, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the characters of one password never move
            <li key={i} className="flex gap-2">
              <span className="w-4 font-mono font-bold">{char}</span> {spelled(char)}
            </li>
          ))}
        </ol>
      )}
    </li>
  );
}
