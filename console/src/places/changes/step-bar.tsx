import { type Step, steps } from "@/changes/next-step";

const names: Record<Step, string> = {
  edits: "Edits",
  preview: "Preview",
  approval: "Approval",
  out: "Out",
  verified: "Verified",
};

/** The way of a change: what is behind it, where it stands, and what is before it, each with a few words. */
export function StepBar({ at, words }: { at: Step; words: Record<Step, string> }) {
  const here = steps.indexOf(at);
  return (
    <ol aria-label="Way of this change" className="mb-3 grid grid-cols-5 max-[900px]:grid-cols-1">
      {steps.map((step, i) => (
        <li
          key={step}
          aria-current={i === here ? "step" : undefined}
          className={`border-t-2 pt-2 pr-4 pb-1 max-[900px]:border-t-0 max-[900px]:py-0.5 ${i === here ? "border-brass shadow-[inset_0_2px_0_0_var(--brass)] max-[900px]:shadow-none" : "border-ink"}`}
        >
          <span className={`font-semibold ${i < here ? "text-green" : i === here ? "text-brass" : ""}`}>
            <span aria-hidden="true">{i < here ? "✓ " : i === here ? "▸ " : ""}</span>
            {names[step]}
            {i < here && <span className="sr-only"> (behind it)</span>}
          </span>
          <span className="block text-sm text-second max-[900px]:inline max-[900px]:pl-2">{words[step]}</span>
        </li>
      ))}
    </ol>
  );
}
