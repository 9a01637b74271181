import { AlertDialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./button";
import { useReturnFocus } from "./return-focus";

type AskProps = {
  open: boolean;
  title: string;
  children: ReactNode; // what happens then
  yes: string;
  no?: string;
  ready?: boolean; // whether yes can be said
  onYes: () => void;
  onNo: () => void;
};

/** A question before something that is not easily taken back. */
export function Ask({ open, title, children, yes, no = "Cancel", ready = true, onYes, onNo }: AskProps) {
  const focus = useReturnFocus();
  return (
    <AlertDialog.Root open={open} onOpenChange={(next) => next || onNo()}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-30 bg-ink/40" />
        <AlertDialog.Content
          {...focus}
          className="fixed top-[min(160px,12vh)] left-1/2 z-40 max-h-[80vh] w-[480px] max-w-[calc(100vw-24px)] -translate-x-1/2 overflow-auto rounded-sm border border-hairline bg-sheet p-6 shadow-xl"
        >
          <AlertDialog.Title className="mb-2 text-lg font-bold">{title}</AlertDialog.Title>
          <AlertDialog.Description asChild>
            <div className="mb-5">{children}</div>
          </AlertDialog.Description>
          <div className="flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>{no}</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button primary disabled={!ready} onClick={onYes}>
                {yes}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
