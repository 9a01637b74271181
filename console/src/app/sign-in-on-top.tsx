import { Dialog } from "radix-ui";
import { SignInForm } from "./sign-in";

/** The sign-in, on top of the page whose session has ended: nothing else can be reached until it is done. */
export function SignInOnTop() {
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-50 bg-ink/60" />
        <Dialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(event) => event.preventDefault()}
          onInteractOutside={(event) => event.preventDefault()}
          className="fixed top-1/2 left-1/2 z-50 -translate-1/2"
        >
          <Dialog.Title className="sr-only">Sign in again</Dialog.Title>
          <SignInForm note="Your session has ended. Sign in again; your work is still here." />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
