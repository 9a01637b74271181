/** Writes rows as CSV (RFC 4180) and hands the file to the browser. */
export function download(name: string, header: string[], rows: (string | number)[][]) {
  // A cell that begins like a formula is kept from being one in a spreadsheet.
  const safe = (value: string) => (/^[=+\-@\t\r]/.test(value) ? `'${value}` : value);
  const cell = (value: string | number) => `"${safe(String(value)).replaceAll('"', '""')}"`;
  const text = [header, ...rows].map((row) => row.map(cell).join(",")).join("\r\n");
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([`${text}\r\n`], { type: "text/csv" }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
