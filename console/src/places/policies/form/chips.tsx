import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type KeyboardEvent, useState } from "react";
import { read } from "@/api/queries";
import type { Path, Plain } from "./document";
import { at, Line, useForm, Wrong } from "./fields";

/** Values that were picked, each of which can be taken away. */
function Chips({ path, items }: { path: Path; items: string[] }) {
  const { set, readOnly } = useForm();
  return items.map((item, index) => (
    <span
      // biome-ignore lint/suspicious/noArrayIndexKey: the same principal may stand twice while one edits
      key={`${item} ${index}`}
      className="mr-1.5 mb-1.5 inline-flex items-center gap-1 rounded-sm border border-hairline bg-sheet px-2 py-0.5"
    >
      <span className="font-mono text-sm [overflow-wrap:anywhere]">{item}</span>
      {!readOnly && (
        <button type="button" onClick={() => set([...path, index], undefined)} className="hover:text-red">
          <X className="size-3.5" aria-hidden="true" />
          <span className="sr-only">Remove {item}</span>
        </button>
      )}
    </span>
  ));
}

const listOf = (value: Plain): string[] => (Array.isArray(value) ? value.map(String) : []);

/** Whether two references are the same: case does not count in them. */
const same = (ref: string) => (other: string) => ref.toLowerCase() === other.toLowerCase();

/** Principals picked by typing: managed accounts of this policy, built-in ones, the directory, or an identifier as it is. */
export function Principals({ label, path }: { label: string; path: Path }) {
  const { values, set, readOnly } = useForm();
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const [active, setActive] = useState(-1); // the suggestion that the arrow keys stand on
  const items = listOf(at(values, path));
  const found = useQuery({ ...read.directoryLike(text.trim()), enabled: open && text.trim().length > 1 });
  const own = [
    "builtin:administrator",
    "builtin:guest",
    ...listOf(values.accounts?.map((a: Plain) => `account:${a?.key}`)),
  ];
  const typed = text.trim();
  const suggestions = [
    ...own.filter((ref) => ref.includes(typed.toLowerCase())).map((ref) => ({ ref, name: "" })),
    ...(typed.length > 1 ? (found.data?.items ?? []).map((e) => ({ ref: `${e.kind}:${e.name}`, name: e.title })) : []),
    ...(/^(user|group|sid|local|guid):./i.test(typed) ? [{ ref: typed, name: "as it is written" }] : []),
  ].filter((s, index, all) => !items.some(same(s.ref)) && all.findIndex((x) => same(s.ref)(x.ref)) === index);
  const pick = (ref: string) => {
    set([...path, items.length], ref);
    setText("");
    setActive(-1);
  };
  const shown = open && suggestions.length > 0;
  const keys = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step && suggestions.length > 0) {
      event.preventDefault();
      setOpen(true);
      setActive((now) => (now + step + suggestions.length + (now < 0 && step < 0 ? 1 : 0)) % suggestions.length);
    } else if (event.key === "Escape" && open) {
      event.stopPropagation();
      setOpen(false);
      setActive(-1);
    } else if (event.key === "Enter") {
      const chosen = suggestions[active] ?? (typed ? suggestions[0] : undefined);
      if (!chosen) return;
      event.preventDefault();
      pick(chosen.ref);
    }
  };
  return (
    <Line label={label}>
      {(id) => (
        <>
          <Chips path={path} items={items} />
          {!readOnly && (
            // biome-ignore lint/a11y/noStaticElementInteractions: the list closes when one leaves the field and the list
            <div
              className="relative"
              onFocus={() => setOpen(true)}
              onBlur={(event) => event.currentTarget.contains(event.relatedTarget) || setOpen(false)}
            >
              <input
                id={id}
                role="combobox"
                aria-expanded={shown}
                aria-activedescendant={shown && active >= 0 ? `${id}-${active}` : undefined}
                aria-controls={`${id}-list`}
                autoComplete="off"
                value={text}
                placeholder="Type a name: directory, accounts, identifiers"
                onChange={(event) => {
                  setText(event.target.value);
                  setOpen(true);
                  setActive(-1);
                }}
                onKeyDown={keys}
                className="w-full rounded-sm border border-second bg-paper px-2 py-1"
              />
              <div
                id={`${id}-list`}
                role="listbox"
                aria-label={`Suggestions for ${label.toLowerCase()}`}
                hidden={!shown}
                className="absolute z-20 mt-0.5 max-h-56 w-full overflow-auto rounded-sm border border-hairline bg-sheet shadow-xl"
              >
                {suggestions.map((s, at) => (
                  <button
                    type="button"
                    role="option"
                    id={`${id}-${at}`}
                    tabIndex={-1}
                    aria-selected={at === active}
                    key={s.ref}
                    onClick={() => pick(s.ref)}
                    className="block w-full px-2 py-1 text-left hover:bg-brass/15 aria-selected:bg-brass/15"
                  >
                    <span className="font-mono text-sm">{s.ref}</span>
                    {s.name && <span className="ml-2 text-second">{s.name}</span>}
                  </button>
                ))}
              </div>
            </div>
          )}
          <Wrong path={path} below />
        </>
      )}
    </Line>
  );
}

/** Some of a fixed list of values. */
export function Several(props: { label: string; path: Path; options: string[]; none?: string }) {
  const { label, path, options, none } = props; // none: what it means that none is picked
  const { values, set, readOnly } = useForm();
  const items = listOf(at(values, path));
  const left = options.filter((o) => !items.includes(o));
  return (
    <Line label={label}>
      {(id) => (
        <>
          <Chips path={path} items={items} />
          {none && items.length === 0 && <span className="mr-2 text-second">{none}</span>}
          {!readOnly && left.length > 0 && (
            <select
              id={id}
              value=""
              onChange={(event) => event.target.value && set([...path, items.length], event.target.value)}
              className="rounded-sm border border-second bg-paper px-1.5 py-0.5"
            >
              <option value="">Add …</option>
              {left.map((o) => (
                <option key={o} value={o}>
                  {o}
                </option>
              ))}
            </select>
          )}
          <Wrong path={path} below />
        </>
      )}
    </Line>
  );
}

/** Texts that are typed, one after another. */
export function Texts({ label, path, placeholder }: { label: string; path: Path; placeholder: string }) {
  const { values, set, readOnly } = useForm();
  const [text, setText] = useState("");
  const items = listOf(at(values, path));
  const put = () => {
    const typed = text.trim();
    if (typed && !items.includes(typed)) set([...path, items.length], typed);
    setText("");
  };
  return (
    <Line label={label}>
      {(id) => (
        <>
          <Chips path={path} items={items} />
          {!readOnly && (
            <input
              id={id}
              value={text}
              placeholder={placeholder}
              autoComplete="off"
              onChange={(event) => setText(event.target.value)}
              onBlur={put}
              onKeyDown={(event) => {
                if (event.key !== "Enter") return;
                event.preventDefault();
                put();
              }}
              className="w-full rounded-sm border border-second bg-paper px-2 py-1 font-mono text-sm"
            />
          )}
          <Wrong path={path} below />
        </>
      )}
    </Line>
  );
}
