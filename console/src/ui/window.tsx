import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { useReturnFocus } from "./return-focus";

type WindowProps = {
  open: boolean;
  close: () => void;
  title: string;
  note: string;
  wide?: boolean; // there is something to compare in it
  children: ReactNode;
};

/** A window over the page, with something to fill in or to choose from. */
export function Window({ open, close, title, note, wide, children }: WindowProps) {
  const focus = useReturnFocus();
  return (
    <Dialog.Root open={open} onOpenChange={(next) => next || close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/40" />
        <Dialog.Content
          {...focus}
          className={`fixed top-[min(112px,8vh)] left-1/2 z-40 max-h-[84vh] max-w-[calc(100vw-24px)] -translate-x-1/2 overflow-auto rounded-sm border border-hairline bg-sheet p-6 shadow-xl ${wide ? "w-[860px]" : "w-[520px]"}`}
        >
          <Dialog.Title className="mb-1 text-lg font-bold">{title}</Dialog.Title>
          <Dialog.Description className="mb-4 text-second">{note}</Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** The foot of a window, with its buttons: in sight however long the window is. */
export function WindowFoot({ children }: { children: ReactNode }) {
  return (
    <div className="sticky -bottom-6 -mx-6 mt-4 -mb-6 border-t border-hairline bg-sheet px-6 py-3">{children}</div>
  );
}
