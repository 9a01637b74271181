import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Schemas } from "@/api/types";
import { ago, useNow } from "@/domain/time";
import { useTour } from "@/tour/kept";
import { Button, TextButton } from "@/ui/button";
import { Aside, Loading, PageHead, Trouble } from "@/ui/page";
import { MyPasskeys } from "./my-passkeys";
import { MyPassword } from "./my-password";
import { MyTokens } from "./my-tokens";
import { Prove } from "./prove";
import { RecoveryCodes } from "./recovery-codes";
import { SetUp } from "./set-up";

/** One's own sign-in: who one is, and the second factor. */
export function MePage() {
  const session = useQuery(read.session());
  const factor = useQuery(read.secondFactor());
  const me = session.data;
  return (
    <>
      <PageHead tab="Your sign-in" title="Your sign-in" note={me ? `${me.name}, ${me.organisation}` : ""} />
      {me && <TourAgain of={me.name} />}
      {factor.error && <Trouble error={factor.error} />}
      <div className="grid grid-cols-[minmax(0,560px)_minmax(0,380px)] gap-10 max-[900px]:grid-cols-1">
        <div>
          {me && !me.at_provider && (
            <Aside title="Password">
              <MyPassword />
            </Aside>
          )}
          <Aside title="Second factor">
            {me?.at_provider ? (
              <p>You sign in with your identity provider, which asks for a second factor where it is set up there.</p>
            ) : factor.data ? (
              <Factor of={factor.data} />
            ) : (
              <Loading />
            )}
          </Aside>
          {me && !me.at_provider && (
            <Aside title="Passkeys">
              <MyPasskeys />
            </Aside>
          )}
        </div>
        <div>
          <Aside title="Your roles">
            <ul className="space-y-1">
              {me?.roles.map((r) => (
                <li key={r.role}>
                  <span className="font-semibold">{r.role}</span>{" "}
                  <span className="text-second">
                    {r.groups.length > 0 ? `on ${r.groups.join(", ")}` : "on every device"}
                  </span>
                </li>
              ))}
            </ul>
          </Aside>
          <Aside title="Your API tokens">
            <MyTokens />
          </Aside>
        </div>
      </div>
    </>
  );
}

/** The tour for who wants it once more. */
function TourAgain({ of }: { of: string }) {
  const [state, set] = useTour(of);
  const navigate = useNavigate();
  if (state !== "left") return null;
  return (
    <p className="mb-4">
      <TextButton
        onClick={() => {
          set(0);
          navigate("/watch");
        }}
      >
        Take the tour of the console
      </TextButton>
    </p>
  );
}

function Factor({ of }: { of: Schemas["SecondFactor"] }) {
  const now = useNow();
  const queries = useQueryClient();
  const [codes, setCodes] = useState<string[]>();
  const [asked, setAsked] = useState<"codes" | "remove">();
  const begin = useMutation({ mutationFn: change.beginSecondFactor, gcTime: 0 });
  const known = () => {
    queries.invalidateQueries({ queryKey: read.secondFactor().queryKey });
    queries.invalidateQueries({ queryKey: read.session().queryKey });
  };
  if (codes) {
    return (
      <RecoveryCodes
        codes={codes}
        done={() => {
          setCodes(undefined);
          known();
        }}
      />
    );
  }
  if (begin.data) {
    return (
      <SetUp
        made={begin.data}
        done={(made) => {
          begin.reset();
          setCodes(made);
        }}
        leave={() => begin.reset()}
      />
    );
  }
  if (!of.on) {
    return (
      <>
        <p className="mb-3">
          {of.required && (
            <span className="font-semibold">Everybody here needs a second factor; set one up to go on. </span>
          )}
          With a second factor, signing in also asks for a code from a program on your phone or computer. Whoever learns
          your password cannot sign in with it alone.
        </p>
        {begin.error && <Trouble error={begin.error} />}
        <Button primary onClick={() => begin.mutate()} disabled={begin.isPending}>
          Set up
        </Button>
      </>
    );
  }
  if (asked === "codes") {
    return (
      <Prove
        verb="Make new codes"
        act={change.makeRecoveryCodes}
        done={(made) => setCodes(made?.codes)}
        leave={() => setAsked(undefined)}
      />
    );
  }
  if (asked === "remove") {
    return (
      <Prove
        verb="Remove it"
        act={change.removeSecondFactor}
        done={() => {
          setAsked(undefined);
          known();
        }}
        leave={() => setAsked(undefined)}
      />
    );
  }
  return (
    <>
      <p className="mb-1 border-l-4 border-green pl-3">On, since {ago(of.since, now)}.</p>
      <p className={`mb-3 pl-4 ${of.recovery_codes_left < 3 ? "text-red" : "text-second"}`}>
        {of.recovery_codes_left} recovery {of.recovery_codes_left === 1 ? "code is" : "codes are"} left.
      </p>
      <div className="flex gap-2">
        <Button onClick={() => setAsked("codes")}>Make new recovery codes</Button>
        {!of.required && <Button onClick={() => setAsked("remove")}>Remove the second factor</Button>}
      </div>
    </>
  );
}
