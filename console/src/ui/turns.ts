/** Milliseconds of each frame that are given to what is drawn in turns. */
const share = 6;

/** Draws a part, and says whether that was the last one. */
type Part = () => boolean;

const waiting: Part[] = [];
let frame = 0;

function turn() {
  frame = 0;
  const ends = performance.now() + share;
  while (waiting[0] && performance.now() < ends) if (waiting[0]()) waiting.shift();
  if (waiting.length > 0) frame = requestAnimationFrame(turn);
}

/** Draws in turns with everything else that does, without holding the page up; the answer gives it up. */
export function inTurns(part: Part): () => void {
  let given = true;
  waiting.push(() => !given || part());
  if (frame === 0) frame = requestAnimationFrame(turn);
  return () => {
    given = false;
  };
}
