import { useState } from "react";
import { download, everyPage } from "./csv";
import { Button } from "./parts";

type ExportProps<T> = {
  file: string;
  header: string[];
  read: (cursor: string) => Promise<{ items: T[]; next: string }>;
  row: (item: T) => (string | number)[];
};

/** Reads a whole list, page by page, and saves it as CSV. */
export function Export<T>({ file, header, read, row }: ExportProps<T>) {
  const [busy, setBusy] = useState(false);
  const save = async () => {
    setBusy(true);
    try {
      download(file, header, (await everyPage(read)).map(row));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Button onClick={save} disabled={busy}>
      {busy ? "Reading all …" : "Export CSV"}
    </Button>
  );
}
