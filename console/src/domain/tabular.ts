/** One row of a table that was pasted or read from a file, with its line from 1. */
export type Row = { line: number; cells: string[] };

/**
 * Rows of a CSV text (RFC 4180), also separated by semicolons or tabs; empty lines are left out. Unclosed is the line of
 * a quotation mark that has no end, 0 for none.
 */
export function rowsOf(text: string): { rows: Row[]; unclosed: number } {
  const head = text.slice(0, text.search(/\n|$/));
  const separator = [";", "\t"].find((s) => head.includes(s)) ?? ",";
  const rows: Row[] = [];
  let cells: string[] = [];
  let cell = "";
  let quoted = false;
  let line = 1;
  let begun = 1;
  let opened = 0; // line of the last quotation mark that began a cell
  const endRow = () => {
    cells.push(cell.trim());
    if (cells.some((c) => c !== "")) rows.push({ line: begun, cells });
    cells = [];
    cell = "";
  };
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (c === "\n") line++;
    if (quoted) {
      if (c !== '"') cell += c;
      else if (text[i + 1] === '"') cell += text[++i];
      else quoted = false;
    } else if (c === '"' && cell.trim() === "") {
      quoted = true;
      opened = line;
      cell = "";
    } else if (c === separator) {
      cells.push(cell.trim());
      cell = "";
    } else if (c === "\n") {
      endRow();
      begun = line;
    } else if (c !== "\r") {
      cell += c;
    }
  }
  endRow();
  return { rows, unclosed: quoted ? opened : 0 };
}

export type Fault = { line: number; message: string };

const notClosed = (line: number): Fault[] =>
  line === 0 ? [] : [{ line, message: 'a cell begins with " here and never ends; close it, or leave the " out' }];

/** A column of device names: that called device or name where there is a head, else the first. */
export function namesIn(text: string): { names: string[]; faults: Fault[] } {
  const { rows, unclosed } = rowsOf(text);
  const column = Math.max(0, rows[0]?.cells.findIndex((c) => /^(device|name)$/i.test(c)) ?? 0);
  const isHead = /^(device|name)$/i.test(rows[0]?.cells[column] ?? "");
  const names: string[] = [];
  const faults = notClosed(unclosed);
  const seen = new Set<string>();
  for (const { line, cells } of isHead ? rows.slice(1) : rows) {
    const name = cells[column] ?? "";
    if (name === "") faults.push({ line, message: "there is no name here" });
    else if (name.length > 63) faults.push({ line, message: `"${name.slice(0, 20)}…" is longer than 63 characters` });
    else if (!seen.has(name.toLowerCase())) names.push(name); // once is enough
    seen.add(name.toLowerCase());
  }
  return { names, faults };
}

/** What an organisation knows of a device, as a row says it. */
export type FactRow = { device: string; path?: string; tags?: string[]; primary_user?: string };

const factColumns = ["device", "path", "tags", "primary_user"] as const;

/** Facts from a table with a head of device and some of path, tags (separated by blanks) and primary_user. */
export function factsIn(text: string): { facts: FactRow[]; faults: Fault[] } {
  const { rows: all, unclosed } = rowsOf(text);
  const [head, ...rows] = all;
  if (!head) return { facts: [], faults: [] };
  const columns = head.cells.map((c) => c.toLowerCase().replace(/ /g, "_"));
  const unknown = columns.filter((c) => !factColumns.includes(c as (typeof factColumns)[number]));
  if (!columns.includes("device") || columns.length < 2 || unknown.length > 0) {
    const wrong = unknown.length > 0 ? `"${unknown[0]}" is no column here; ` : "";
    return {
      facts: [],
      faults: [
        { line: head.line, message: `${wrong}begin with a head of device and some of path, tags, primary_user` },
      ],
    };
  }
  const facts: FactRow[] = [];
  const faults = notClosed(unclosed);
  const former = new Map<string, { line: number; cells: string }>(); // where each device stands first
  for (const { line, cells } of rows) {
    const cell = (column: string) => (columns.includes(column) ? (cells[columns.indexOf(column)] ?? "") : undefined);
    const device = cell("device") ?? "";
    if (device === "") {
      faults.push({ line, message: "there is no device here" });
      continue;
    }
    if (cells.length > columns.length)
      faults.push({ line, message: `${cells.length} cells, but ${columns.length} columns` });
    const key = device.toLowerCase();
    const rest = cells.filter((_, at) => columns[at] !== "device").join("\n");
    const same = former.get(key);
    if (same) {
      // Once is enough; which of two that differ is meant, nobody can say.
      if (same.cells !== rest)
        faults.push({ line, message: `${device} stands on line ${same.line} too, with other facts; leave one out` });
      continue;
    }
    former.set(key, { line, cells: rest });
    const [path, tags, user] = [cell("path"), cell("tags"), cell("primary_user")];
    facts.push({
      device,
      ...(path !== undefined && { path }),
      ...(tags !== undefined && { tags: tags.split(/\s+/).filter(Boolean) }),
      ...(user !== undefined && { primary_user: user }),
    });
  }
  return { facts, faults };
}
