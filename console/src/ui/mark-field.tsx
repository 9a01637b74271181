import { type MouseEvent, useEffect, useRef } from "react";
import { useSize } from "./size";

/** How one kind of mark is drawn: its shape as well as its colour. */
export type MarkLook = { word: string; colour: string; shape: "dot" | "diamond" | "ring" | "bars" | "speck" };

type FieldProps = {
  label: string;
  letters: string; // one a device
  looks: Record<string, MarkLook>; // by letter
  onPick?: (letter: string, index: number) => void; // of the mark that was pressed
};

const cell = 6; // pixels from one mark to the next
const inOneGo = 1000; // marks that are drawn before the browser gets its turn

/** Thousands of devices, one small mark each, in rows. What it says is said in words and numbers beside it. */
export function MarkField({ label, letters, looks, onPick }: FieldProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [around, width] = useSize<HTMLDivElement>();
  const perRow = Math.max(1, Math.floor(width / cell));
  const height = Math.ceil(letters.length / perRow) * cell;
  useEffect(() => {
    const paper = canvas.current;
    const at = paper?.getContext("2d");
    if (!paper || !at || width === 0) return;
    let frame = 0;
    const redraw = () => {
      cancelAnimationFrame(frame);
      const dense = window.devicePixelRatio || 1;
      paper.width = width * dense;
      paper.height = height * dense;
      at.scale(dense, dense);
      const style = getComputedStyle(paper);
      const colours = Object.fromEntries(
        Object.entries(looks).map(([letter, look]) => [letter, style.getPropertyValue(look.colour)]),
      );
      const goOn = (from: number) => {
        const to = Math.min(from + inOneGo, letters.length);
        for (let i = from; i < to; i++) {
          const letter = letters[i] ?? "";
          const look = looks[letter];
          if (!look) continue;
          at.fillStyle = at.strokeStyle = colours[letter] ?? "";
          draw(at, look.shape, (i % perRow) * cell, Math.floor(i / perRow) * cell);
        }
        if (to < letters.length) frame = requestAnimationFrame(() => goOn(to));
      };
      goOn(0);
    };
    redraw();
    const theme = new MutationObserver(redraw);
    theme.observe(document.documentElement, { attributes: true });
    return () => {
      theme.disconnect();
      cancelAnimationFrame(frame);
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
