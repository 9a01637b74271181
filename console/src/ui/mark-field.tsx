import { type MouseEvent, useEffect, useRef } from "react";
import { useSize } from "./size";
import { inTurns } from "./turns";

/** How one kind of mark is drawn: its shape as well as its colour. */
export type MarkLook = { word: string; colour: string; shape: "dot" | "diamond" | "ring" | "bars" | "speck" };

type FieldProps = {
  label: string;
  letters: string; // one a device
  looks: Record<string, MarkLook>; // by letter
  width?: number; // in pixels, where somebody has measured it for all of several fields
  onPick?: (letter: string, index: number) => void; // of the mark that was pressed
};

const cell = 6; // pixels from one mark to the next
const inOneGo = 500; // marks that are drawn in one turn

/** Thousands of devices, one small mark each, in rows. What it says is said in words and numbers beside it. */
export function MarkField({ label, letters, looks, width: given, onPick }: FieldProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [around, own] = useSize<HTMLDivElement>(given === undefined);
  const width = given ?? own;
  const perRow = Math.max(1, Math.floor(width / cell));
  const height = Math.ceil(letters.length / perRow) * cell;
  useEffect(() => {
    const paper = canvas.current;
    const at = paper?.getContext("2d");
    if (!paper || !at || width === 0) return;
    let giveUp = () => {};
    const redraw = () => {
      giveUp();
      const dense = window.devicePixelRatio || 1;
      paper.width = width * dense;
      paper.height = height * dense;
      at.scale(dense, dense);
      let colours: Record<string, string> | undefined;
      let from = 0;
      giveUp = inTurns(() => {
        colours ??= coloursOf(looks);
        const to = Math.min(from + inOneGo, letters.length);
        for (let i = from; i < to; i++) {
          const letter = letters[i] ?? "";
          const look = looks[letter];
          if (!look) continue;
          at.fillStyle = at.strokeStyle = colours[letter] ?? "";
          draw(at, look.shape, (i % perRow) * cell, Math.floor(i / perRow) * cell);
        }
        from = to;
        return to === letters.length;
      });
    };
    redraw();
    const theme = new MutationObserver(redraw);
    theme.observe(document.documentElement, { attributes: true });
    return () => {
      theme.disconnect();
      giveUp();
    };
  }, [letters, looks, width, height, perRow]);
  const pick = (event: MouseEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const column = Math.floor((event.clientX - box.left) / cell);
    const i = Math.floor((event.clientY - box.top) / cell) * perRow + column;
    const letter = letters[i];
    if (onPick && letter && column < perRow) onPick(letter, i);
  };
  const words = Object.entries(looks)
    .map(([letter, look]) => [letters.split(letter).length - 1, look.word] as const)
    .filter(([n]) => n > 0)
    .map(([n, word]) => `${n} ${word}`)
    .join(", ");
  return (
    <div ref={around}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${label}: ${words}`}
        style={{ width, height }}
        className={onPick ? "block cursor-pointer" : "block"}
        onClick={pick}
      />
    </div>
  );
}

/** The colours of the theme, by letter. */
function coloursOf(looks: Record<string, MarkLook>): Record<string, string> {
  const style = getComputedStyle(document.documentElement);
  return Object.fromEntries(
    Object.entries(looks).map(([letter, look]) => [letter, style.getPropertyValue(look.colour)]),
  );
}

function draw(at: CanvasRenderingContext2D, shape: MarkLook["shape"], x: number, y: number) {
  switch (shape) {
    case "dot":
      return at.fillRect(x + 1, y + 1, 3, 3);
    case "diamond":
      return at.fillRect(x, y, 5, 5);
    case "ring":
      return at.strokeRect(x + 1, y + 1, 3, 3);
    case "bars":
      at.fillRect(x, y, 2, 5);
      return at.fillRect(x + 3, y, 2, 5);
    case "speck":
      return at.fillRect(x + 2, y + 2, 1, 1);
  }
}
