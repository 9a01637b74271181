import { type ComponentProps, type ReactNode, useId } from "react";

const box = "w-full rounded-sm border border-second bg-paper px-2 py-1 aria-invalid:border-red";

type Around = { label: ReactNode; quiet?: boolean; problem?: string | undefined };

/** What ties a control to its label and to what is wrong with it. */
type Ties = { id: string; "aria-invalid": true | undefined; "aria-describedby": string | undefined };

function Field({ label, quiet, problem, control }: Around & { control: (ties: Ties) => ReactNode }) {
  const id = useId();
  const problemId = `${id}-problem`;
  return (
    <div>
      <label htmlFor={id} className={quiet ? "text-second" : "font-semibold"}>
        {label}
      </label>
      {control({
        id,
        "aria-invalid": problem ? true : undefined,
        "aria-describedby": problem ? problemId : undefined,
      })}
      {problem && (
        <p id={problemId} role="alert" className="text-red">
          {problem}
        </p>
      )}
    </div>
  );
}

/** A line to type in, with what is wrong with it below. */
export function TextField({
  label,
  quiet = false,
  problem,
  className = "",
  ...rest
}: ComponentProps<"input"> & Around) {
  const control = (ties: Ties) => <input {...rest} {...ties} className={`${box} ${className}`} />;
  return <Field label={label} quiet={quiet} problem={problem} control={control} />;
}

/** Some lines to type in, with what is wrong with them below. */
export function TextArea({
  label,
  quiet = false,
  problem,
  className = "",
  ...rest
}: ComponentProps<"textarea"> & Around) {
  const control = (ties: Ties) => <textarea {...rest} {...ties} className={`${box} ${className}`} />;
  return <Field label={label} quiet={quiet} problem={problem} control={control} />;
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
