import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

/** How the trigger of a menu in the band looks; the arrow says that it is one. */
export const menuTrigger =
  "flex items-center gap-1.5 rounded-sm px-2.5 py-1 whitespace-nowrap after:text-xs after:content-['▾']";

/** What a menu offers, under its trigger. */
export function Choosing({ children, align = "end" }: { children: ReactNode; align?: "start" | "end" }) {
  return (
    <DropdownMenu.Portal>
      <DropdownMenu.Content
        align={align}
        sideOffset={6}
        loop
        className="z-30 min-w-44 rounded-sm border border-hairline bg-sheet py-1 text-ink shadow-xl"
      >
        {children}
      </DropdownMenu.Content>
    </DropdownMenu.Portal>
  );
}

/** One thing that a menu offers. */
export function Choice({ onSelect, children }: { onSelect: () => void; children: ReactNode }) {
  return (
    <DropdownMenu.Item
      onSelect={onSelect}
      className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-brass/15"
    >
      {children}
    </DropdownMenu.Item>
  );
}
