import { useState } from "react";
import { toast } from "sonner";
import { Ask } from "@/ui/ask";
import { Choices } from "@/ui/filters";
import { starts } from "./starts";

/** Begins a policy from one of a few. What was typed is replaced only after a question, and can be had back. */
export function StartFrom({ source, replace }: { source: string; replace: (source: string) => void }) {
  const [asked, setAsked] = useState("");
  const untouched = starts.some((s) => s.source === source);
  const put = (name: string) => {
    const start = starts.find((s) => s.name === name);
    if (!start) return;
    replace(start.source);
    if (!untouched) {
      toast.success(`Replaced what you typed with “${name}”.`, {
        duration: 30_000,
        action: { label: "Undo", onClick: () => replace(source) },
      });
    }
  };
  return (
    <>
      <Choices
        label="Start from"
        value={starts.find((s) => s.source === source)?.name ?? ""}
        choices={starts.map((s) => ({ value: s.name, label: s.name }))}
        onChange={(name) => (untouched ? put(name) : setAsked(name))}
      />
      <Ask
        open={asked !== ""}
        title={`Replace what you typed with “${asked}”?`}
        yes="Replace it"
        onYes={() => {
          put(asked);
          setAsked("");
        }}
        onNo={() => setAsked("")}
      >
        The whole document and the form are replaced. You can undo it for half a minute.
      </Ask>
    </>
  );
}
