import { expect, it } from "vitest";
import { numberOr, valuesOf, withValue, written } from "./document";

const source = `# Who looks after the desks
format: rankwarden.policy/1
name: desks # never changes

lockout:
  threshold: 5 # wrong attempts

membership:
  # closed since the audit
  - local_group: administrators
    mode: exact
    members: [account:mooring, "group:Desk Support@skerryline.example"]
`;

it("keeps comments and order when one value changes", () => {
  expect(withValue(source, ["lockout", "threshold"], 3)).toBe(source.replace("threshold: 5", "threshold: 3"));
  expect(withValue(source, ["lockout", "duration"], "15m")).toBe(
    source.replace("# wrong attempts\n", "# wrong attempts\n  duration: 15m\n"),
  );
  expect(withValue(source, ["membership", 0, "mode"], "adjust")).toBe(source.replace("mode: exact", "mode: adjust"));
});

it("adds to lists, and makes sections that are not there", () => {
  const more = withValue(source, ["membership", 0, "members", 2], "builtin:administrator");
  expect(valuesOf(more).membership[0].members).toEqual([
    "account:mooring",
    "group:Desk Support@skerryline.example",
    "builtin:administrator",
  ]);
  const accounts = withValue(source, ["accounts", 0], { key: "mooring", name: "mooring-##" });
  expect(accounts.startsWith(source)).toBe(true);
  expect(valuesOf(accounts).accounts).toEqual([{ key: "mooring", name: "mooring-##" }]);
});

it("takes away what is empty with the last value", () => {
  const without = withValue(source, ["lockout", "threshold"], undefined);
  expect(valuesOf(without).lockout).toBeUndefined();
  expect(without).toContain("# closed since the audit");
});

it("leaves a text that is no YAML as it is", () => {
  expect(valuesOf("a: [")).toBeUndefined();
  expect(withValue("a: [", ["a"], 1)).toBe("a: [");
  expect(valuesOf("just words")).toBeUndefined();
});

it("writes paths as the problems do, and numbers where they are some", () => {
  expect(written(["membership", 0, "members", 1])).toBe("membership[0].members[1]");
  expect([numberOr(""), numberOr("14"), numberOr("14x")]).toEqual([undefined, 14, "14x"]);
});
