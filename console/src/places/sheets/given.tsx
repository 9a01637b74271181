import { useState } from "react";
import type { MadeSheet } from "@/api/types";
import { Button } from "@/ui/button";
import { save } from "@/ui/save";
import { WindowFoot } from "@/ui/window";

/** A sheet that was made: its words once, and the page to save. Nothing of it is kept when this is closed. */
export function Given({ made, done }: { made: MadeSheet; done: () => void }) {
  const [saved, setSaved] = useState(false);
  const words = made.passphrase.split(" ");
  return (
    <section aria-label="The sealed sheet" className="space-y-3">
      <p>
        {made.valid} {made.valid === 1 ? "password" : "passwords"} of {made.devices.length}{" "}
        {made.devices.length === 1 ? "device" : "devices"} are sealed.
        {made.without.length > 0 && ` Nothing is in escrow of ${made.without.join(", ")}.`}
      </p>
      {made.passphrase ? (
        <>
          <ol
            aria-label="Ten words"
            className="grid grid-cols-2 gap-x-6 border-l-4 border-brass bg-sheet px-4 py-3 sm:grid-cols-5"
          >
            {words.map((word, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a word may come twice, and its place is what it is told by
              <li key={i} className="font-mono">
                <span className="mr-2 text-xs text-second">{i + 1}</span>
                {word}
              </li>
            ))}
          </ol>
          <p>
            These words open it. Write them down now, and keep them apart from the sheet: when you close this, nobody
            has them.
          </p>
        </>
      ) : (
        <p>
          The key of <span className="font-mono break-all">{made.recipient}</span> opens it.
        </p>
      )}
      <WindowFoot>
        <div className="flex gap-2">
          <Button
            primary
            onClick={() => {
              save(`sealed-sheet-${made.id}.html`, "text/html", made.page);
              setSaved(true);
            }}
          >
            Save the sheet to print
          </Button>
          <Button onClick={done} disabled={!saved}>
            Close
          </Button>
        </div>
      </WindowFoot>
    </section>
  );
}
