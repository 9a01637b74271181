import { isCollection, parseDocument } from "yaml";

/*
 * The form and the YAML are two views of one text. The form reads it as plain values, and changes it through a document
 * model, so that comments and the order of keys survive.
 */

export type Path = (string | number)[];

// biome-ignore lint/suspicious/noExplicitAny: what somebody typed can be anything; each field looks at what it needs
export type Plain = any;

/** The values of a document, undefined while it cannot be read as YAML. */
export function valuesOf(source: string): Plain | undefined {
  const document = parseDocument(source);
  if (document.errors.length > 0) return undefined;
  const values = document.toJS();
  return typeof values === "object" && values !== null && !Array.isArray(values) ? values : undefined;
}

/** The text with one value put at a path, or taken away with what is empty then. A text that is not YAML stays as it is. */
export function withValue(source: string, path: Path, value: unknown): string {
  const document = parseDocument(source);
  if (document.errors.length > 0) return source;
  if (value !== undefined) {
    document.setIn(path, typeof value === "object" && value !== null ? document.createNode(value) : value);
  } else {
    document.deleteIn(path);
    for (let parent = path.slice(0, -1); parent.length > 0; parent = parent.slice(0, -1)) {
      const node = document.getIn(parent, true);
      if (!isCollection(node) || node.items.length > 0) break;
      document.deleteIn(parent);
    }
  }
  return document.toString({ lineWidth: 0, flowCollectionPadding: false });
}

/** A path as the problems of a document write it. */
export const written = (path: Path) =>
  path.reduce<string>(
    (text, part) => (typeof part === "number" ? `${text}[${part}]` : text ? `${text}.${part}` : part),
    "",
  );

/** What is typed into a field for a number: a number, or the text as it is so that the checks say what is wrong. */
export const numberOr = (text: string) => (text === "" ? undefined : /^\d+$/.test(text) ? Number(text) : text);
