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

/** Reads a whole list, page by page, and saves it as CSV. It says how far it is, and can be stopped. */
export function Export<T>({ file, header, list, row }: ExportProps<T>) {
  const [running, setRunning] = useState<AbortController | null>(null);
  const [sofar, setSofar] = useState(0);
  const save = async () => {
    const stop = new AbortController();
    setRunning(stop);
    setSofar(0);
    try {
      const items = await everything(list, stop.signal, setSofar);
      download(file, header, items.map(row));
      toast.success(`${items.length} ${items.length === 1 ? "row" : "rows"} saved as ${file}.`);
    } catch (error) {
      if (!stop.signal.aborted) toast.error(error instanceof Error ? error.message : "The list could not be read.");
    } finally {
      setRunning(null);
    }
  };
  if (!running) return <Button onClick={save}>Export CSV</Button>;
  return (
    <span className="flex items-center gap-2">
      <span role="status" className="text-second">
        {sofar} rows read …
      </span>
      <Button onClick={() => running.abort()}>Stop</Button>
    </span>
  );
}
