import { type ComponentProps, useEffect, useState } from "react";
import { Refusal } from "@/api/client";
import { TextField } from "@/ui/field";

/** Whether a code is asked for, once it was, and what is wrong with the one that was given. */
export function useCodeAsked(error: Error | null): { asked: boolean; problem: string | undefined } {
  const [asked, setAsked] = useState(false);
  const code = error instanceof Refusal ? error.code : "";
  useEffect(() => {
    if (code === "code_needed") setAsked(true);
  }, [code]);
  return { asked, problem: asked && code !== "code_needed" ? error?.message : undefined };
}

/** A field for the code that an authenticator shows, or for a recovery code. */
export function CodeField(props: ComponentProps<"input"> & { label?: string }) {
  return (
    <TextField
      label="Code of your authenticator, or a recovery code"
      inputMode="text"
      autoComplete="one-time-code"
      autoFocus
      maxLength={20}
      className="font-mono tracking-[0.15em]"
      {...props}
    />
  );
}
