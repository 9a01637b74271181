import { TextButton } from "@/ui/button";
import { Principals, Several, Texts } from "./chips";
import type { Path, Plain } from "./document";
import {
  at,
  Blocks,
  ChoiceLine,
  InWords,
  NumberLine,
  Section,
  SwitchLine,
  TextLine,
  TimeLine,
  useForm,
  Wrong,
} from "./fields";

/** Local groups that every device knows, whatever the language of its operating system. */
const knownGroups = [
  "administrators",
  "device-owners",
  "power-users",
  "hyper-v-administrators",
  "backup-operators",
  "network-configuration-operators",
  "remote-desktop-users",
  "remote-management-users",
  "event-log-readers",
  "performance-log-users",
  "users",
  "guests",
];

export function Accounts() {
  return (
    <Section id="accounts" title="Managed accounts">
      <Blocks
        path={["accounts"]}
        title={(a) => a?.key || "New account"}
        add="Add a managed account"
        fresh={() => ({ key: "mooring", name: "mooring-####", local_groups: ["administrators"] })}
      >
        {(path, account) => (
          <>
            <TextLine label="Key" path={[...path, "key"]} mono placeholder="needed: how everything else refers to it" />
            <TextLine label="Name" path={[...path, "name"]} mono placeholder="each # becomes a random digit" />
            <Texts
              label="Former names"
              path={[...path, "formerly"]}
              placeholder="an account of this name is renamed, and stays the same account"
            />
            <ChoiceLine
              label="State"
              path={[...path, "state"]}
              options={[
                { value: "", label: "enabled (default)" },
                { value: "enabled", label: "enabled" },
                { value: "disabled", label: "disabled" },
                { value: "absent", label: "absent: removed from devices" },
              ]}
            />
            <TextLine label="Full name" path={[...path, "full_name"]} placeholder="empty" />
            <TextLine label="Description" path={[...path, "description"]} placeholder="empty" />
            <Several label="Local groups" path={[...path, "local_groups"]} options={knownGroups} />
            <SwitchLine
              label="Password"
              path={[...path, "password_expires"]}
              on="expires"
              off="never expires"
              unset="never expires (default)"
            />
            <ChoiceLine
              label="Password and sessions"
              path={[...path, "password"]}
              options={[
                { value: "", label: "a new password when taken over (default)" },
                { value: "keep", label: "left alone, and never rotated" },
              ]}
            />
            <SwitchLine
              label="Existing account in use by a service"
              path={[...path, "take_over"]}
              on="taken over"
              off="not taken over"
              unset="not taken over (default)"
            />
            <SwitchLine
              label="Its user and the password"
              path={[...path, "password_fixed"]}
              on="may not change it"
              off="may change it"
              unset="may change it (default)"
            />
            {(account?.password === "keep" || account?.change_at_next_sign_in) && (
              <SwitchLine
                label="At the next sign-in"
                path={[...path, "change_at_next_sign_in"]}
                on="its user must change the password, once"
                off="nothing is asked of its user"
                unset="nothing is asked of its user (default)"
              />
            )}
            <TextLine
              label="Expires on"
              path={[...path, "expires_on"]}
              mono
              placeholder="a day such as 2027-03-31, from which it opens nothing; empty for never"
            />
            <InWords units={[`accounts.${account?.key}`]} />
            <Wrong path={path} />
          </>
        )}
      </Blocks>
    </Section>
  );
}

/** Classes of characters that a password is made of. */
const classes = ["lower", "upper", "digits", "symbols"];

export function RotationRules() {
  const { values } = useForm();
  const accounts: Plain[] = Array.isArray(values.accounts) ? values.accounts : [];
  const targets = ["builtin:administrator", ...accounts.map((a) => `account:${a?.key}`)];
  return (
    <Section id="rotation" title="Password rotation">
      <Blocks
        path={["rotation"]}
        title={(r) => r?.target || "New rotation"}
        add="Add a rotation"
        fresh={() => ({ target: targets.at(-1) })}
      >
        {(path, rotation) => (
          <>
            <ChoiceLine
              label="Account"
              path={[...path, "target"]}
              options={[...new Set([rotation?.target ?? "", ...targets])].map((t) => ({
                value: t,
                label: t || "Choose …",
              }))}
            />
            <TimeLine label="Every" path={[...path, "every"]} units={["d", "h"]} placeholder="30" />
            <ChoiceLine
              label="Password of"
              path={[...path, "secret", "style"]}
              options={[
                { value: "", label: "characters (default)" },
                { value: "characters", label: "characters" },
                { value: "words", label: "words" },
              ]}
            />
            {rotation?.secret?.style === "words" ? (
              <>
                <NumberLine label="Words" path={[...path, "secret", "words"]} unit="words" placeholder="5" />
                <ChoiceLine
                  label="Between words"
                  path={[...path, "secret", "separator"]}
                  options={[
                    { value: "", label: "- (default)" },
                    ...[".", "_", "+", "="].map((joint) => ({ value: joint, label: joint })),
                  ]}
                />
              </>
            ) : (
              <>
                <NumberLine label="Length" path={[...path, "secret", "length"]} unit="characters" placeholder="24" />
                <Several label="Made of" path={[...path, "secret", "use"]} options={classes} none="all four" />
                <SwitchLine
                  label="Look-alikes"
                  path={[...path, "secret", "avoid_lookalikes"]}
                  on="left out: 0 and O, 1, l and I"
                  off="may be used"
                  unset="left out (default)"
                />
              </>
            )}
            <TimeLine label="After a view" path={[...path, "after_reveal"]} units={["h", "m", "d"]} placeholder="not" />
            <TimeLine
              label="After a sign-in"
              path={[...path, "after_use", "wait"]}
              units={["h", "m", "d"]}
              placeholder="as is"
            />
            <ChoiceLine
              label="And then"
              path={[...path, "after_use", "then"]}
              options={[
                { value: "", label: "as the default says" },
                { value: "nothing", label: "nothing: who is signed in stays" },
                { value: "end-sessions", label: "sessions end, with a notice before" },
                { value: "restart", label: "the device restarts, with a notice before" },
              ]}
            />
            <NumberLine label="Kept" path={[...path, "keep"]} unit="former passwords in escrow" placeholder="5" />
            <SwitchLine
              label="Name"
              path={[...path, "redraw_name"]}
              on="new digits each time"
              off="stays"
              unset="stays (default)"
            />
            <Wrong path={[...path, "after_use"]} />
            <InWords units={[`rotation.${rotation?.target}`]} />
            <Wrong path={path} />
            <Wrong path={[...path, "secret"]} />
          </>
        )}
      </Blocks>
    </Section>
  );
}

export function Membership() {
  return (
    <Section id="membership" title="Members of local groups">
      <Blocks
        path={["membership"]}
        title={(m) => m?.local_group || m?.local_groups?.join(", ") || "New local group"}
        add="Add a local group"
        fresh={() => ({ local_group: "administrators", mode: "adjust", members: [] })}
      >
        {(path, group) => (
          <>
            {group?.local_groups ? (
              <Texts label="Local groups" path={[...path, "local_groups"]} placeholder="another local group" />
            ) : group?.custom ? (
              <TextLine label="Local group" path={[...path, "local_group"]} mono placeholder="needed" />
            ) : (
              <ChoiceLine
                label="Local group"
                path={[...path, "local_group"]}
                options={[...new Set([group?.local_group ?? "", ...knownGroups])].map((g) => ({ value: g, label: g }))}
              />
            )}
            {group?.custom && (
              <SwitchLine
                label="Where it is missing"
                path={[...path, "create"]}
                on="created; removed when nobody asks for it and it is empty"
                off="left missing, which is drift"
                unset="left missing, which is drift (default)"
              />
            )}
            <ChoiceLine
              label="Mode"
              path={[...path, "mode"]}
              options={[
                { value: "exact", label: "exactly these" },
                { value: "adjust", label: "adjust: the rest stays" },
              ]}
            />
            <p className="mb-2 text-second">
              {group?.mode === "exact"
                ? "Everybody else is removed from the group. The built-in administrator always stays in administrators."
                : "These are added or removed; whoever else is a member stays."}
            </p>
            <Principals label={group?.mode === "exact" ? "Members" : "Must be members"} path={[...path, "members"]} />
            {group?.mode === "adjust" && <Principals label="Must not be" path={[...path, "remove"]} />}
            <Wrong path={path} />
          </>
        )}
      </Blocks>
    </Section>
  );
}

export function BuiltIns() {
  return (
    <Section id="builtins" title="Built-in accounts">
      {["administrator", "guest"].map((account) => (
        <div key={account} className="mb-3">
          <h3 className="mb-1.5 font-semibold">Built-in {account}</h3>
          <TextLine label="Name" path={["builtins", account, "name"]} mono />
          <SwitchLine label="State" path={["builtins", account, "enabled"]} on="enabled" off="disabled" />
          <TextLine label="Full name" path={["builtins", account, "full_name"]} />
          <TextLine label="Description" path={["builtins", account, "description"]} />
          <Wrong path={["builtins", account]} />
        </div>
      ))}
    </Section>
  );
}

export function PasswordRules() {
  const { values, set, readOnly } = useForm();
  const field = (key: string): Path => ["passwords", key];
  const history = Number(at(values, field("history")) ?? 0);
  const young = Number(at(values, field("min_age_days")) ?? 0) === 0;
  return (
    <Section id="passwords" title="Password rules">
      <NumberLine label="Minimum length" path={field("min_length")} unit="characters" />
      <NumberLine label="History" path={field("history")} unit="passwords remembered" />
      <NumberLine label="Maximum age" path={field("max_age_days")} unit="days, 0 never expires" />
      <NumberLine label="Minimum age" path={field("min_age_days")} unit="days before it may change" />
      {history > 0 && young && (
        <p className="mb-2 border-l-4 border-brass px-3 py-1">
          Without a minimum age one changes a password {history + 1} times in a row and has the old one back.{" "}
          {!readOnly && (
            <TextButton onClick={() => set(field("min_age_days"), 1)}>Set a minimum age of 1 day</TextButton>
          )}
        </p>
      )}
      <SwitchLine label="Complexity" path={field("complexity")} on="three classes of characters" off="any characters" />
      {at(values, field("complexity")) === true && (
        <p className="mb-2 text-second">
          At least three of: capital letters, small letters, digits, other characters. The name of the account may not
          stand in it.
        </p>
      )}
      <Wrong path={["passwords"]} />
    </Section>
  );
}

export function LockoutRule() {
  const { values } = useForm();
  return (
    <Section id="lockout" title="Lockout">
      <NumberLine
        label="Threshold"
        path={["lockout", "threshold"]}
        unit="wrong attempts, 0 never locks"
        placeholder="needed"
      />
      {at(values, ["lockout", "threshold"]) !== 0 && (
        <>
          <TimeLine label="Duration" path={["lockout", "duration"]} units={["m", "h", "d"]} placeholder="15" />
          <TimeLine label="Window" path={["lockout", "window"]} units={["m", "h", "d"]} placeholder="as is" />
        </>
      )}
      <InWords units={["lockout"]} />
      <Wrong path={["lockout"]} />
    </Section>
  );
}
