import { Texts } from "./chips";
import { ChoiceLine, InWords, Section, TimeLine, Wrong } from "./fields";

/** What becomes of local accounts that no policy names. */
export function OtherAccounts() {
  return (
    <Section id="other_accounts" title="Other accounts">
      <p className="mb-2 text-second">
        Local accounts that no policy names. Built-in accounts and those of the operating system or the directory never
        count, and an account that a service or a scheduled task runs as stays enabled.
      </p>
      <ChoiceLine
        label="They become"
        path={["other_accounts", "state"]}
        options={[
          { value: "", label: "Choose …" },
          { value: "disabled", label: "disabled, when their grace is over" },
        ]}
      />
      <TimeLine label="Grace" path={["other_accounts", "grace"]} units={["d"]} placeholder="14" />
      <Texts
        label="Left alone"
        path={["other_accounts", "allow"]}
        placeholder="a name, svc-* for names that begin so, or id:30000-39999"
      />
      <InWords units={["accounts.others"]} />
      <Wrong path={["other_accounts"]} />
    </Section>
  );
}
