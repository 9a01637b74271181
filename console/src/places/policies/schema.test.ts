import { expect, it } from "vitest";
import { choicesAt, pathAt, type Schema, schemaAt, wordsOf } from "./schema";

const lines = `name: desks
lockout:
  threshold: 5 # attempts
membership:
  # who may do everything
  - local_group: administrators
    mode: exact
    members:
      - account:mooring
rotation:
  - target: account:mooring
    secret:
      style: words`.split("\n");

const schema: Schema = {
  properties: {
    name: { type: "string", description: "Unique name" },
    lockout: { properties: { threshold: { type: "integer", description: "Wrong attempts", default: 5 } } },
    membership: { items: { properties: { local_group: {}, mode: { enum: ["exact", "adjust"] }, members: {} } } },
    rotation: { items: { properties: { secret: { $ref: "#/$defs/secret" } } } },
  },
  $defs: { secret: { properties: { style: { enum: ["characters", "words"] }, strong: { type: "boolean" } } } },
};

it("knows under which keys a place stands", () => {
  expect(pathAt(lines, 0, 4)).toEqual([]);
  expect(pathAt(lines, 2, 5)).toEqual(["lockout"]);
  expect(pathAt(lines, 6, 8)).toEqual(["membership"]);
  expect(pathAt(lines, 8, 10)).toEqual(["membership", "members"]);
  expect(pathAt(lines, 12, 9)).toEqual(["rotation", "secret"]);
});

it("offers the keys of the place, and the values of a key", () => {
  expect(choicesAt(schema, lines, 0, 2)?.choices.map((c) => c.label)).toEqual(Object.keys(schema.properties ?? {}));
  const modes = choicesAt(schema, [...lines.slice(0, 6), "    mode: ex"], 6, 12);
  expect(modes).toMatchObject({ from: 10, choices: [{ label: "exact" }, { label: "adjust" }] });
  expect(choicesAt(schema, [...lines.slice(0, 12), "      strong: "], 12, 14)?.choices.map((c) => c.label)).toEqual([
    "true",
    "false",
  ]);
  expect(choicesAt(schema, lines, 2, 20)).toBeUndefined();
});

it("says what a key is", () => {
  expect(wordsOf(schemaAt(schema, ["lockout"])?.properties?.threshold ?? {})).toBe("Wrong attempts Default: 5.");
  expect(wordsOf(schemaAt(schema, ["rotation", "secret"])?.properties?.style ?? {})).toBe("One of characters, words.");
  expect(schemaAt(schema, ["nothing", "here"])).toBeUndefined();
});
