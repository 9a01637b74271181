import { save } from "./save";

/** Writes rows as CSV (RFC 4180) and hands the file to the browser. */
export function download(name: string, header: string[], rows: (string | number)[][]) {
  // A cell that begins like a formula is kept from being one in a spreadsheet.
  const safe = (value: string) => (/^[=+\-@\t\r]/.test(value) ? `'${value}` : value);
  const cell = (value: string | number) => `"${safe(String(value)).replaceAll('"', '""')}"`;
  const text = [header, ...rows].map((row) => row.map(cell).join(",")).join("\r\n");
  save(name, "text/csv", `${text}\r\n`);
}
