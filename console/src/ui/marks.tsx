import { type KeyboardEvent, type MouseEvent, useState } from "react";
import { useNavigate } from "react-router";

/** One device as a mark: its shape and word as well as its colour. */
export type Mark = { id: string; device: string; glyph: string; text: string; word: string };

/** Some devices, one mark each, that lead to their pages. The tab key comes to one of them; the arrow keys go on from there. */
export function Marks({ label, marks }: { label: string; marks: Mark[] }) {
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  // One listener for all of them: a component for each of hundreds of marks would hold the page up.
  const onClick = (event: MouseEvent<HTMLUListElement>) => {
    const mark = (event.target as Element).closest("a");
    if (!mark || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
    event.preventDefault();
    navigate(mark.pathname);
  };
  const onKey = (event: KeyboardEvent<HTMLUListElement>) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    const next = event.key === "Home" ? 0 : event.key === "End" ? marks.length - 1 : step ? at + step : -1;
    if (next < 0 || next >= marks.length) return;
    event.preventDefault();
    setAt(next);
    event.currentTarget.querySelectorAll("a")[next]?.focus();
  };
  return (
    <ul aria-label={label} className="flex flex-wrap gap-x-1 leading-5" onKeyDown={onKey} onClick={onClick}>
      {marks.map((mark, i) => (
        <li key={mark.id}>
          <a
            href={`/devices/${mark.device}`}
            tabIndex={i === Math.min(at, marks.length - 1) ? 0 : -1}
            onFocus={() => setAt(i)}
            title={`${mark.device}, ${mark.word}`}
            aria-label={`${mark.device}, ${mark.word}`}
            className={`${mark.text} inline-block w-4 text-center hover:no-underline`}
          >
            {mark.glyph}
          </a>
        </li>
      ))}
    </ul>
  );
}
