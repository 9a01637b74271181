import { useState } from "react";
import { toast } from "sonner";
import { everything, type List } from "@/api/pages";
import { Button } from "./button";
import { download } from "./csv";

type ExportProps<T> = {
  file: string;
  header: string[];
  list: List<T>;
  row: (item: T) => (string | number)[];
};

/** Reads a whole list, page by page, and saves it as CSV. */
export function Export<T>({ file, header, list, row }: ExportProps<T>) {
  const [busy, setBusy] = useState(false);
  const save = async () => {
    setBusy(true);
    try {
      const items = await everything(list);
      download(file, header, items.map(row));
      toast.success(`${items.length} ${items.length === 1 ? "row" : "rows"} saved as ${file}.`);
    } catch (error) {
      toast.error(error instanceof Error ? error.message : "The list could not be read.");
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
