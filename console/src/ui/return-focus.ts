import { useRef } from "react";

/** Where the focus goes when a window closes: to what it was opened from, or to the page when that has gone. */
export function useReturnFocus() {
  const from = useRef<Element | null>(null);
  return {
    onOpenAutoFocus: () => {
      from.current = document.activeElement;
    },
    onCloseAutoFocus: (event: Event) => {
      event.preventDefault();
      const back = from.current;
      const there = back instanceof HTMLElement && back.isConnected && back !== document.body;
      (there ? back : document.querySelector<HTMLElement>("main"))?.focus();
    },
  };
}
