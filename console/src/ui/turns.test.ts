import { expect, it } from "vitest";
import { inTurns } from "./turns";

const frame = () => new Promise((done) => requestAnimationFrame(done));

it("draws part by part, one after the other, and leaves out what was given up", async () => {
  const drawn: string[] = [];
  const parts = (name: string, last: number) => {
    let at = 0;
    return () => {
      drawn.push(`${name}${++at}`);
      return at === last;
    };
  };
  inTurns(parts("a", 2));
  const giveUp = inTurns(parts("b", 3));
  inTurns(parts("c", 1));
  giveUp();
  expect(drawn).toEqual([]);
  while (drawn.length < 3) await frame();
  await frame();
  expect(drawn).toEqual(["a1", "a2", "c1"]);
});
