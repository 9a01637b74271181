import { expect, it } from "vitest";
import { factsIn, namesIn, rowsOf } from "./tabular";

it("reads CSV with quotes, other separators and lines of its own", () => {
  expect(rowsOf('a,b\r\n"x, ""y""",2\n\n"two\nlines",3').rows).toEqual([
    { line: 1, cells: ["a", "b"] },
    { line: 2, cells: ['x, "y"', "2"] },
    { line: 4, cells: ["two\nlines", "3"] },
  ]);
  expect(rowsOf("a;b\n1;2").rows.at(-1)).toEqual({ line: 2, cells: ["1", "2"] });
});

it("finds names in a list or in a table, and says what is wrong by line", () => {
  expect(namesIn("SKL-1\nSKL-2\n").names).toEqual(["SKL-1", "SKL-2"]);
  expect(namesIn("room,device\ndesk,SKL-1\nbridge,SKL-2").names).toEqual(["SKL-1", "SKL-2"]);
  expect(namesIn(`SKL-1\nskl-1\n${"x".repeat(64)}`)).toEqual({
    names: ["SKL-1"],
    faults: [{ line: 3, message: '"xxxxxxxxxxxxxxxxxxxx…" is longer than 63 characters' }],
  });
  expect(namesIn("device,room\n,desk").faults).toEqual([{ line: 2, message: "there is no name here" }]);
});

it("reads facts, and only those that have a column", () => {
  expect(factsIn("device,path,tags\nSKL-1,north/desk,kiosk loaner\nSKL-2,,").facts).toEqual([
    { device: "SKL-1", path: "north/desk", tags: ["kiosk", "loaner"] },
    { device: "SKL-2", path: "", tags: [] },
  ]);
  expect(factsIn("device,room\nSKL-1,a").faults[0]?.message).toContain('"room" is no column here');
  expect(factsIn("device,path\n,x\nSKL-1,a,b").faults.map((f) => f.line)).toEqual([2, 3]);
  expect(factsIn('device,tags\nSKL-1,"kiosk\nSKL-2,desk').faults).toEqual([
    { line: 2, message: 'a cell begins with " here and never ends; close it, or leave the " out' },
  ]);
  const twice = factsIn("device,path\nSKL-1,a\nskl-1,a\nSKL-2,b\nSKL-2,c");
  expect(twice.facts.map((f) => f.device)).toEqual(["SKL-1", "SKL-2"]);
  expect(twice.faults).toEqual([{ line: 5, message: "SKL-2 stands on line 4 too, with other facts; leave one out" }]);
  expect(factsIn("")).toEqual({ facts: [], faults: [] });
});
