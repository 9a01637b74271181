import type { Line } from "./difference";

const looks = {
  same: { sign: " ", look: "" },
  added: { sign: "+", look: "bg-green-wash text-green" },
  removed: { sign: "−", look: "bg-red-wash text-red" },
};

/** The lines of a difference. */
export function Lines({ label, lines }: { label: string; lines: Line[] }) {
  return (
    <section
      aria-label={label}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard
      tabIndex={0}
      className="mt-2 max-h-96 overflow-auto border border-hairline bg-sheet py-1 font-mono text-sm"
    >
      {lines.map((line) => (
        <div key={line.key} className={`px-3 whitespace-pre-wrap ${looks[line.kind].look}`}>
          <span className="sr-only">{line.kind === "same" ? "" : line.kind}</span>
          <span aria-hidden="true">{looks[line.kind].sign} </span>
          {line.text}
        </div>
      ))}
    </section>
  );
}
