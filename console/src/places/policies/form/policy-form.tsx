import { useEffect, useMemo, useState } from "react";
import type { DocumentProblem, PolicyCheck } from "@/api/types";
import { TextButton } from "@/ui/button";
import { type Plain, valuesOf, withValue } from "./document";
import { FormContext, LinesLine, TextLine } from "./fields";
import { OtherAccounts } from "./other-accounts";
import { Accounts, BuiltIns, LockoutRule, Membership, PasswordRules, RotationRules } from "./sections";

const sections = [
  { id: "membership", name: "Local groups", Part: Membership },
  { id: "accounts", name: "Accounts", Part: Accounts },
  { id: "rotation", name: "Rotation", Part: RotationRules },
  { id: "builtins", name: "Built-ins", Part: BuiltIns },
  { id: "passwords", name: "Passwords", Part: PasswordRules },
  { id: "lockout", name: "Lockout", Part: LockoutRule },
  { id: "other_accounts", name: "Other accounts", Part: OtherAccounts },
];

type PolicyFormProps = {
  source: string;
  problems: DocumentProblem[];
  asks: PolicyCheck["asks"];
  readOnly: boolean;
  isNew: boolean;
  onChange: (source: string) => void;
};

/** A policy as a form over its text. */
export function PolicyForm({ source, problems, asks, readOnly, isNew, onChange }: PolicyFormProps) {
  const values = useMemo(() => valuesOf(source), [source]);
  const [opened, setOpened] = useState<string[]>([]); // sections that are opened and have nothing yet
  const last = opened.at(-1);
  useEffect(() => {
    const section = last && document.getElementById(last);
    if (section) section.querySelector<HTMLElement>("input, select, button")?.focus();
  }, [last]);
  if (values === undefined) {
    return <p className="py-4 text-second">The text is not YAML at the moment. Fix it there, and the form is back.</p>;
  }
  const asked = (id: string) => size(values[id]) !== "" || problems.some((p) => p.path?.startsWith(id));
  const shown = sections.filter((s) => asked(s.id) || opened.includes(s.id));
  const rest = sections.filter((s) => !shown.includes(s));
  const set = (path: (string | number)[], value: unknown) => onChange(withValue(source, path, value));
  return (
    <FormContext.Provider value={{ values, set, problems, asks, readOnly }}>
      <nav aria-label="Sections of the policy" className="mb-3 flex flex-wrap gap-x-4 gap-y-1">
        {shown.map((s) => (
          <a key={s.id} href={`#${s.id}`} className="text-second hover:text-ink">
            {s.name} {size(values[s.id])}
            <Faults id={s.id} problems={problems} />
          </a>
        ))}
      </nav>
      {!readOnly && rest.length > 0 && (
        <fieldset className="mb-4 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <legend className="sr-only">Nothing is asked yet of</legend>
          {rest.map((s) => (
            <TextButton key={s.id} onClick={() => setOpened([...opened, s.id])}>
              + {s.name}
            </TextButton>
          ))}
        </fieldset>
      )}
      {isNew && <TextLine label="Name" path={["name"]} mono placeholder="needed" />}
      <TextLine label="Title" path={["title"]} placeholder="none" />
      <LinesLine label="Notes" path={["notes"]} placeholder="why it is so, for whoever reads it next" />
      {shown.map(({ id, Part }) => (
        <Part key={id} />
      ))}
    </FormContext.Provider>
  );
}

function size(section: Plain): string {
  if (Array.isArray(section)) return section.length > 0 ? String(section.length) : "";
  return section && typeof section === "object" ? "✓" : "";
}

function Faults({ id, problems }: { id: string; problems: DocumentProblem[] }) {
  const here = problems.filter((p) => p.path?.startsWith(id));
  if (here.length === 0) return null;
  return (
    <span className={here.some((p) => p.severity === "error") ? "text-red" : "text-brass"}>
      {" "}
      ◆ {here.length}
      <span className="sr-only"> to fix</span>
    </span>
  );
}
