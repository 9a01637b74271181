import { expect, it } from "vitest";

const sources = import.meta.glob<string>("../**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });

/** What each room may import of the others. */
const rooms: Record<string, string[]> = {
  api: ["api", "gen"],
  domain: ["api", "domain", "ui"],
  ui: ["api", "ui"],
  changes: ["api", "changes", "domain", "ui"],
  tour: ["api", "tour", "ui"],
  places: ["api", "changes", "domain", "tour", "ui"],
  app: ["api", "app", "changes", "domain", "places", "tour", "ui"],
};

it("rooms import one way, and no place another", () => {
  let seen = 0;
  for (const [path, source] of Object.entries(sources)) {
    const [room, place] = path.replace("../", "").split("/");
    const may = rooms[room ?? ""];
    if (!may || path.includes(".test.")) continue;
    for (const [, to = "", inside] of source.matchAll(/from "@\/(\w+)\/([\w-]+)/g)) {
      seen++;
      expect(may.includes(to) || (to === "places" && inside === place), `${path} imports ${to}/${inside}`).toBe(true);
    }
  }
  expect(seen).toBeGreaterThan(100);
});

it("only the room api speaks with the service, and only its queries name keys", () => {
  for (const [path, source] of Object.entries(sources)) {
    if (path.startsWith("../api/") || path.includes(".test.") || path.startsWith("../test/")) continue;
    expect(source, path).not.toMatch(/client\.(GET|POST|PUT|PATCH|DELETE)/);
    expect(source, path).not.toMatch(/queryKey: \[/);
  }
});
