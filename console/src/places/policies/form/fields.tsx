import { createContext, type ReactNode, useContext, useEffect, useId, useRef, useState } from "react";
import type { DocumentProblem, PolicyCheck } from "@/api/types";
import { Words } from "@/domain/words";
import { Button } from "@/ui/button";
import { numberOr, type Path, type Plain, written } from "./document";

/** What the fields of a form share: the values, the way to change one, and what is wrong where. */
type Form = {
  values: Plain;
  set: (path: Path, value: unknown) => void;
  problems: DocumentProblem[];
  asks: PolicyCheck["asks"];
  readOnly: boolean;
};

export const FormContext = createContext<Form | null>(null);

export function useForm(): Form {
  const form = useContext(FormContext);
  if (!form) throw new Error("a field stands outside of a form");
  return form;
}

/** The value at a path. */
export const at = (values: Plain, path: Path): Plain => path.reduce((v, part) => v?.[part], values);

/** What is wrong at a path, and below it when asked. */
export function Wrong({ path, below }: { path: Path; below?: boolean }) {
  const { problems } = useForm();
  const place = written(path);
  return problems
    .filter((p) => p.path === place || (below && (p.path?.startsWith(`${place}.`) || p.path?.startsWith(`${place}[`))))
    .map((p) => (
      <p key={`${p.code} ${p.message}`} className={p.severity === "error" ? "text-red" : "text-brass"}>
        <span aria-hidden="true">◆ </span>
        {p.message}
      </p>
    ));
}

/** What the settings come to, in words that follow the numbers. */
export function InWords({ units }: { units: string[] }) {
  const { asks } = useForm();
  return asks
    .filter((a) => units.includes(a.unit))
    .map((a) => (
      <p key={a.unit} className="text-second">
        <Words>{a.words}</Words>
      </p>
    ));
}

/** A heading of the form, with what belongs under it. */
export function Section({ id, title, children }: { id: string; title: string; children: ReactNode }) {
  return (
    <section id={id} aria-label={title} className="mb-6 scroll-mt-14 border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">{title}</h2>
      {children}
    </section>
  );
}

/** A field with its label beside it. */
export function Line({ label, children }: { label: string; children: (id: string) => ReactNode }) {
  const id = useId();
  return (
    <div className="mb-2 grid grid-cols-[130px_1fr] gap-3">
      <label htmlFor={id} className="pt-1 text-second">
        {label}
      </label>
      <div className="min-w-0">{children(id)}</div>
    </div>
  );
}

const box = "rounded-sm border border-second bg-paper px-2 py-1 disabled:border-hairline";

/** What it means that nothing stands in a field which has no default of its own. */
const notSet = "not asked for: devices keep what they have";

/** A line of text; empty is not set. */
export function TextLine(props: { label: string; path: Path; mono?: boolean; placeholder?: string }) {
  const { values, set, readOnly } = useForm();
  const value = at(values, props.path);
  return (
    <Line label={props.label}>
      {(id) => (
        <>
          <input
            id={id}
            value={value === undefined || value === null ? "" : String(value)}
            placeholder={props.placeholder ?? notSet}
            disabled={readOnly}
            onChange={(event) => set(props.path, event.target.value === "" ? undefined : event.target.value)}
            className={`${box} w-full ${props.mono ? "font-mono" : ""}`}
          />
          <Wrong path={props.path} />
        </>
      )}
    </Line>
  );
}

/** A text of several lines. */
export function LinesLine(props: { label: string; path: Path; placeholder: string }) {
  const { values, set, readOnly } = useForm();
  return (
    <Line label={props.label}>
      {(id) => (
        <>
          <textarea
            id={id}
            rows={2}
            value={String(at(values, props.path) ?? "")}
            placeholder={props.placeholder}
            disabled={readOnly}
            onChange={(event) => set(props.path, event.target.value === "" ? undefined : event.target.value)}
            className={`${box} block w-full`}
          />
          <Wrong path={props.path} />
        </>
      )}
    </Line>
  );
}

/** The box of a number, which keeps what is written otherwise. */
function NumberBox(props: { id: string; value: Plain; placeholder?: string; type: (text: string) => void }) {
  const { readOnly } = useForm();
  return (
    <input
      id={props.id}
      inputMode="numeric"
      value={props.value === undefined || props.value === null ? "" : String(props.value)}
      placeholder={props.placeholder}
      disabled={readOnly}
      onChange={(event) => props.type(event.target.value.trim())}
      className={`${box} w-20 text-right`}
    />
  );
}

const timeUnits = { m: "minutes", h: "hours", d: "days" };
type TimeUnit = keyof typeof timeUnits;

/** A time as a number and its unit; empty is not set. What is written otherwise stays as it is, to be put right. */
export function TimeLine(props: { label: string; path: Path; units: TimeUnit[]; placeholder: string }) {
  const { values, set, readOnly } = useForm();
  const value = at(values, props.path);
  const [usual] = props.units;
  const [, number, unit] = /^(\d+)([mhd])$/.exec(value ?? "") ?? [];
  const [chosen, choose] = useState<TimeUnit | undefined>();
  const shown = (unit as TimeUnit | undefined) ?? chosen ?? usual;
  const typed = (text: string) => set(props.path, text === "" ? undefined : /^\d+$/.test(text) ? text + shown : text);
  return (
    <Line label={props.label}>
      {(id) => (
        <>
          <span className="flex items-center gap-2">
            <NumberBox id={id} value={number ?? value} placeholder={props.placeholder} type={typed} />
            <select
              aria-label={`${props.label}, unit`}
              value={shown}
              disabled={readOnly}
              onChange={(event) => {
                choose(event.target.value as TimeUnit);
                if (number) set(props.path, number + event.target.value);
              }}
              className={box}
            >
              {[...new Set([...props.units, ...(shown ? [shown] : [])])].map((u) => (
                <option key={u} value={u}>
                  {timeUnits[u]}
                </option>
              ))}
            </select>
          </span>
          <Wrong path={props.path} />
        </>
      )}
    </Line>
  );
}

/** A number with its unit behind it; empty is not set. */
export function NumberLine(props: { label: string; path: Path; unit: string; placeholder?: string }) {
  const { values, set } = useForm();
  const value = at(values, props.path);
  return (
    <Line label={props.label}>
      {(id) => (
        <>
          <span className="flex items-center gap-2">
            <NumberBox
              id={id}
              value={value}
              placeholder={props.placeholder ?? "as is"}
              type={(text) => set(props.path, numberOr(text))}
            />
            <span className="text-second">{props.unit}</span>
          </span>
          <Wrong path={props.path} />
        </>
      )}
    </Line>
  );
}

type Option = { value: string; label: string };

/** One of some values; the empty one is not set. */
export function ChoiceLine(props: {
  label: string;
  path: Path;
  options: Option[];
  read?: (value: Plain) => string;
  write?: (chosen: string) => unknown;
}) {
  const { values, set, readOnly } = useForm();
  const { read = (v) => String(v ?? ""), write = (chosen) => (chosen === "" ? undefined : chosen) } = props;
  return (
    <Line label={props.label}>
      {(id) => (
        <>
          <select
            id={id}
            value={read(at(values, props.path))}
            disabled={readOnly}
            onChange={(event) => set(props.path, write(event.target.value))}
            className={box}
          >
            {props.options.map((o) => (
              <option key={o.value} value={o.value}>
                {o.label}
              </option>
            ))}
          </select>
          <Wrong path={props.path} />
        </>
      )}
    </Line>
  );
}

/** On, off, or not set. */
export function SwitchLine(props: { label: string; path: Path; on: string; off: string; unset?: string }) {
  const { label, path, on, off, unset = notSet } = props;
  return (
    <ChoiceLine
      label={label}
      path={path}
      options={[
        { value: "", label: unset },
        { value: "true", label: on },
        { value: "false", label: off },
      ]}
      write={(chosen) => (chosen === "" ? undefined : chosen === "true")}
    />
  );
}

/** A list of things, each in a block of its own that can be removed. */
export function Blocks(props: {
  path: Path;
  title: (item: Plain, index: number) => string;
  add: string;
  fresh: () => Plain;
  children: (path: Path, item: Plain) => ReactNode;
}) {
  const { values, set, readOnly } = useForm();
  const found = at(values, props.path);
  const items: Plain[] = Array.isArray(found) ? found : [];
  const blocks = useRef<HTMLDivElement>(null);
  const added = useRef(false); // the focus goes to the last block once it is there
  // biome-ignore lint/correctness/useExhaustiveDependencies: when there are more, it is looked at again
  useEffect(() => {
    if (!added.current) return;
    added.current = false;
    blocks.current?.querySelector<HTMLElement>(":scope > div:last-of-type :is(input, select)")?.focus();
  }, [items.length]);
  const add = () => {
    added.current = true;
    set([...props.path, items.length], props.fresh());
  };
  return (
    <div ref={blocks}>
      {items.map((item, index) => {
        const path = [...props.path, index];
        return (
          <div key={written(path)} className="mb-4 border-b border-hairline pb-2">
            <div className="mb-1.5 flex items-center gap-3">
              <h3 className="grow font-semibold">{props.title(item, index)}</h3>
              {!readOnly && (
                <Button onClick={() => set(path, undefined)}>
                  Remove<span className="sr-only"> {props.title(item, index)}</span>
                </Button>
              )}
            </div>
            {props.children(path, item)}
          </div>
        );
      })}
      {!readOnly && <Button onClick={add}>{props.add}</Button>}
    </div>
  );
}
