import { useState } from "react";
import { toast } from "sonner";
import { Button } from "@/ui/button";
import { OwnPassword } from "./own-password";

/** One's own password, and the way to change it. */
export function MyPassword() {
  const [open, setOpen] = useState(false);
  if (!open) {
    return (
      <>
        <p className="mb-3">When you change it, your other sessions and all of your API tokens end.</p>
        <Button onClick={() => setOpen(true)}>Change your password…</Button>
      </>
    );
  }
  return (
    <OwnPassword
      done={() => {
        setOpen(false);
        toast.success("Your password was changed. Your other sessions and your API tokens have ended.");
      }}
      leave={() => setOpen(false)}
    />
  );
}
