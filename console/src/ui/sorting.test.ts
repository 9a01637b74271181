import { expect, it } from "vitest";
import { inOrder, nextSorting } from "./sorting";

const items = [
  { name: "SKL-2", findings: 10 },
  { name: "SKL-1", findings: 2 },
  { name: "SKL-3", findings: 2 },
];
const columns = [
  { title: "Device", sort: (d: (typeof items)[number]) => d.name },
  { title: "Findings", sort: (d: (typeof items)[number]) => d.findings },
];

it("sorts up, down, and not at all", () => {
  let sorting = nextSorting(null, "Findings");
  expect(inOrder(items, columns, sorting).map((d) => d.name)).toEqual(["SKL-1", "SKL-3", "SKL-2"]);
  sorting = nextSorting(sorting, "Findings");
  expect(inOrder(items, columns, sorting).map((d) => d.findings)).toEqual([10, 2, 2]);
  sorting = nextSorting(sorting, "Findings");
  expect(inOrder(items, columns, sorting)).toBe(items);
  expect(nextSorting({ title: "Findings", down: true }, "Device")).toEqual({ title: "Device", down: false });
});
