import { type ComponentProps, type ReactNode, useId } from "react";

const box = "w-full rounded-sm border border-second bg-paper px-2 py-1 aria-invalid:border-red";

type Around = { label: ReactNode; quiet?: boolean; problem?: string | undefined };

function Field({ label, quiet, problem, id, children }: Around & { id: string; children: ReactNode }) {
  return (
    <div>
      <label htmlFor={id} className={quiet ? "text-second" : "font-semibold"}>
        {label}
      </label>
      {children}
      {problem && (
        <p id={`${id}-problem`} role="alert" className="text-red">
          {problem}
        </p>
      )}
    </div>
  );
}

/** A line to type in, with what is wrong with it below. */
export function TextField({ label, quiet, problem, className = "", ...rest }: ComponentProps<"input"> & Around) {
  const id = useId();
  return (
    <Field label={label} quiet={quiet ?? false} problem={problem} id={id}>
      <input
        id={id}
        {...rest}
        aria-invalid={problem ? true : undefined}
        aria-describedby={problem ? `${id}-problem` : undefined}
        className={`${box} ${className}`}
      />
    </Field>
  );
}

/** Some lines to type in, with what is wrong with them below. */
export function TextArea({ label, quiet, problem, className = "", ...rest }: ComponentProps<"textarea"> & Around) {
  const id = useId();
  return (
    <Field label={label} quiet={quiet ?? false} problem={problem} id={id}>
      <textarea
        id={id}
        {...rest}
        aria-invalid={problem ? true : undefined}
        aria-describedby={problem ? `${id}-problem` : undefined}
        className={`${box} ${className}`}
      />
    </Field>
  );
}

type Option = { value: string; label: string };

/** One of some values. */
export function Select(props: { label: string; value: string; options: Option[]; onChange: (value: string) => void }) {
  return (
    <label className="flex items-center gap-2">
      <span className="text-second">{props.label}</span>
      <select
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
        className="rounded-sm border border-second bg-sheet px-2 py-1"
      >
        {props.options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </select>
    </label>
  );
}
