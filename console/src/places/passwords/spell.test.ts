import { expect, it } from "vitest";
import { groupsOf, spelled } from "./spell";

it.each([
  ["a", "alfa"],
  ["A", "capital Alfa"],
  ["z", "zulu"],
  ["0", "zero"],
  ["O", "capital Oscar"],
  ["l", "lima"],
  ["1", "one"],
  ["-", "hyphen"],
  ["é", "é"],
])("says %s as %s", (char, words) => expect(spelled(char)).toBe(words));

it("groups by four, and leaves words whole; nothing is lost", () => {
  expect(groupsOf("k7Rq9xWm2p")).toEqual(["k7Rq", "9xWm", "2p"]);
  expect(groupsOf("harbour-lamp-tide-41")).toEqual(["harbour-", "lamp-", "tide-", "41"]);
  for (const password of ["", "a", "ab-cd", "Tide-table-7306", "𝒜𝒷𝒸𝒹𝑒", "with space and-more"]) {
    expect(groupsOf(password).join("")).toBe(password);
  }
});
