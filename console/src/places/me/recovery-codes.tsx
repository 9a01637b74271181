import { useState } from "react";
import { Button } from "@/ui/button";

/** Recovery codes, shown this once. */
export function RecoveryCodes({ codes, done }: { codes: string[]; done: () => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <section aria-label="Recovery codes" className="border-l-4 border-brass bg-sheet px-4 py-3">
      <p className="mb-2 font-semibold">Recovery codes: each signs you in once, when your authenticator is lost.</p>
      <p className="mb-2">They are shown this once. Keep them away from your password, on paper if you can.</p>
      <ul data-secret className="mb-3 grid grid-cols-2 gap-x-6 gap-y-1 font-mono">
        {codes.map((code) => (
          <li key={code}>{code}</li>
        ))}
      </ul>
      <div className="flex gap-2">
        <Button
          onClick={async () => {
            await navigator.clipboard.writeText(codes.join("\n"));
            setCopied(true);
          }}
        >
          {copied ? "Copied" : "Copy"}
        </Button>
        <Button primary onClick={done}>
          I have them
        </Button>
      </div>
    </section>
  );
}
