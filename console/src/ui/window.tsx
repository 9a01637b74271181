import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

type WindowProps = { open: boolean; close: () => void; title: string; note: string; children: ReactNode };

/** A window over the page, with something to fill in or to choose from. */
export function Window({ open, close, title, note, children }: WindowProps) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => next || close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/40" />
        <Dialog.Content className="fixed top-28 left-1/2 z-40 max-h-[70vh] w-[520px] -translate-x-1/2 overflow-auto rounded-sm border border-hairline bg-sheet p-6 shadow-xl">
          <Dialog.Title className="mb-1 text-lg font-bold">{title}</Dialog.Title>
          <Dialog.Description className="mb-4 text-second">{note}</Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
