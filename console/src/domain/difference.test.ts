import { expect, it } from "vitest";
import { lineDifference } from "./difference";

const drawn = (before: string, after: string) =>
  lineDifference(before, after).map((l) => `${{ same: " ", added: "+", removed: "-" }[l.kind]}${l.text}`);

it("shows which lines came and which went", () => {
  expect(drawn("a\nb\nc\n", "a\nx\nc\nd\n")).toEqual([" a", "-b", "+x", " c", "+d"]);
  expect(drawn("", "a\n")).toEqual(["+a"]);
  expect(drawn("a\n", "")).toEqual(["-a"]);
  expect(drawn("a\n\nb", "a\n\nb")).toEqual([" a", " ", " b"]);
});
