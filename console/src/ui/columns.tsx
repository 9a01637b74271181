import { DropdownMenu } from "radix-ui";
import { useState } from "react";

const place = (label: string) => `rankwarden-columns:${label}`;

/** Which columns of a table are shown; the choice is kept for the browser. */
export function useHidden<C extends { title: string }>(label: string, columns: C[]) {
  const [hidden, setHidden] = useState<string[]>(() => {
    try {
      const kept: unknown = JSON.parse(localStorage.getItem(place(label)) ?? "[]");
      return Array.isArray(kept) ? kept.map(String) : [];
    } catch {
      return []; // somebody else wrote there
    }
  });
  const hide = (title: string, yes: boolean) => {
    const next = yes ? [...hidden, title] : hidden.filter((t) => t !== title);
    if (next.length > 0) localStorage.setItem(place(label), JSON.stringify(next));
    else localStorage.removeItem(place(label));
    setHidden(next);
  };
  const shown = hidden.length > 0 ? columns.filter((c) => !hidden.includes(c.title)) : columns;
  return { shown, hidden, hide };
}

type ColumnChoiceProps = {
  label: string;
  columns: string[];
  hidden: string[];
  hide: (title: string, yes: boolean) => void;
};

/** Chooses the columns of a table. The first one always stays. */
export function ColumnChoice({ label, columns, hidden, hide }: ColumnChoiceProps) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="font-semibold text-brass hover:underline">
        Columns<span className="sr-only"> of {label}</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-30 rounded-sm border border-hairline bg-sheet py-1 shadow-xl"
          loop
        >
          {columns.slice(1).map((title) => (
            <DropdownMenu.CheckboxItem
              key={title}
              checked={!hidden.includes(title)}
              onCheckedChange={(on) => hide(title, on !== true)}
              onSelect={(event) => event.preventDefault()}
              className="flex cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-brass/15"
            >
              <span className="w-4">
                <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
              </span>
              {title}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
