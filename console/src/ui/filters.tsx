import { useState } from "react";
import { useSearchParams } from "react-router";

/** The filters of a list live in the URL, so that any state can be shared. */
export function useFilters(): [URLSearchParams, (changes: Record<string, string>) => void] {
  const [params, setParams] = useSearchParams();
  // Several filters must be set in one go: each call begins from what the address is now.
  const set = (changes: Record<string, string>) => {
    const next = new URLSearchParams(params);
    for (const [name, value] of Object.entries(changes)) {
      if (value) next.set(name, value);
      else next.delete(name);
    }
    setParams(next, { replace: true });
  };
  return [params, set];
}

type SearchProps = {
  label: string;
  placeholder: string;
  value: string;
  onChange: (value: string) => void;
  narrow?: boolean; // it stands beside others
};

/** A field to search with. What is typed goes to the address, and what comes from there into the field. */
export function SearchField({ label, placeholder, value, onChange, narrow }: SearchProps) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value); // what the address is known to say
  if (value !== known) {
    setKnown(value);
    if (value !== text.trim()) setText(value);
  }
  return (
    <input
      type="search"
      aria-label={label}
      placeholder={placeholder}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onChange(event.target.value.trim());
      }}
      className={`${narrow ? "w-40" : "w-72"} rounded-sm border border-second bg-sheet px-3 py-1`}
    />
  );
}

type Choice<T extends string> = { value: T; label: string; count?: number };

/** A row of choices of which one holds. */
export function Choices<T extends string>(props: {
  label: string;
  value: T;
  choices: Choice<T>[];
  onChange: (value: T) => void;
}) {
  return (
    <fieldset className="flex flex-wrap gap-1">
      <legend className="sr-only">{props.label}</legend>
      {props.choices.map((choice) => {
        const chosen = choice.value === props.value;
        return (
          <button
            type="button"
            key={choice.value}
            aria-pressed={chosen}
            onClick={() => props.onChange(choice.value)}
            className={`rounded-sm border px-2.5 py-1 ${chosen ? "border-ink bg-ink font-semibold text-paper" : "border-hairline hover:border-ink"}`}
          >
            {choice.label}
            {choice.count !== undefined && <span className="ml-1.5 opacity-80">{choice.count}</span>}
          </button>
        );
      })}
    </fieldset>
  );
}
