import { useState } from "react";
import { Breakable } from "./breakable";

/** Characters that stand in a cell without more ado. */
const few = 72;

/** A text that may be long: its beginning, and the rest for whoever asks, by mouse, touch or keyboard. */
export function Clamped({ text }: { text: string }) {
  const [whole, setWhole] = useState(false);
  if (text.length <= few) return <Breakable text={text} />;
  return (
    <span>
      <Breakable text={whole ? text : `${text.slice(0, few - 8).replace(/[\s,]+\S*$/, "")} …`} />{" "}
      <button
        type="button"
        aria-expanded={whole}
        onClick={() => setWhole(!whole)}
        className="inline-block font-semibold whitespace-nowrap underline"
      >
        {whole ? "less" : "more"}
      </button>
    </span>
  );
}
