/** What is used of a JSON Schema (2020-12). */
export type Schema = {
  $ref?: string;
  $defs?: Record<string, Schema>;
  properties?: Record<string, Schema>;
  items?: Schema;
  enum?: string[];
  type?: string;
  const?: string;
  default?: unknown;
  description?: string;
};

/** How far the key of a line stands from the left; what follows a dash stands two further. */
const keyIndent = (line: string) => {
  const spaces = line.length - line.trimStart().length;
  return line.trimStart().startsWith("- ") ? spaces + 2 : spaces;
};

/** The keys that a place in a YAML text stands under, the outermost first; the line of the place counts to its column. */
export function pathAt(lines: string[], at: number, column: number): string[] {
  const path: string[] = [];
  const own = (lines[at] ?? "").slice(0, column);
  let indent = own.trim() === "" ? column : keyIndent(own);
  for (let i = at - 1; i >= 0 && indent > 0; i--) {
    const line = lines[i] ?? "";
    const key = /^\s*(?:- )?([\w-]+):\s*(#.*)?$/.exec(line)?.[1];
    if (line.trim() === "" || line.trim().startsWith("#")) continue;
    const there = keyIndent(line);
    if (there >= indent) continue;
    if (key) path.unshift(key);
    indent = there;
  }
  return path;
}

const resolved = (root: Schema, node: Schema | undefined): Schema | undefined =>
  node?.$ref ? root.$defs?.[node.$ref.replace("#/$defs/", "")] : node;

/** The schema of what stands under some keys; that of the items for a list. */
export function schemaAt(root: Schema, path: string[]): Schema | undefined {
  let node: Schema | undefined = root;
  for (const key of path) {
    node = resolved(root, node?.properties?.[key]);
    if (node?.items) node = resolved(root, node.items);
  }
  return node;
}

/** What a key is, in words: what it is for, what it may be, and what it is when it is left out. */
export function wordsOf(node: Schema): string {
  const parts: string[] = [];
  if (node.description) parts.push(node.description);
  if (node.enum) parts.push(`One of ${node.enum.join(", ")}.`);
  if (node.default !== undefined) parts.push(`Default: ${JSON.stringify(node.default)}.`);
  return parts.join(" ") || (node.type ?? "");
}

/** What can be written at a place: keys, or the values of a key. */
export function choicesAt(root: Schema, lines: string[], at: number, column: number) {
  const own = (lines[at] ?? "").slice(0, column);
  const under = schemaAt(root, pathAt(lines, at, column));
  const value = /^\s*(?:- )?([\w-]+):\s*([\w-]*)$/.exec(own);
  if (value) {
    const node = resolved(root, under?.properties?.[value[1] ?? ""]);
    const words = node?.enum ?? (node?.type === "boolean" ? ["true", "false"] : node?.const ? [node.const] : []);
    return { from: column - (value[2]?.length ?? 0), choices: words.map((label) => ({ label, info: "", key: false })) };
  }
  const key = /^\s*(?:- )?([\w-]*)$/.exec(own);
  if (!key || !under?.properties) return undefined;
  const choices = Object.entries(under.properties).map(([label, node]) => ({
    label,
    info: wordsOf(resolved(root, node) ?? node),
    key: true,
  }));
  return { from: column - (key[1]?.length ?? 0), choices };
}
