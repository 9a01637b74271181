import { expect, it } from "vitest";
import { longQuiet, quietSince } from "./heard";

it("is quiet after 25 s without a word, since the last one", () => {
  expect(quietSince(1000, 1000 + longQuiet)).toBe(0);
  expect(quietSince(1000, 1001 + longQuiet)).toBe(1000);
});
