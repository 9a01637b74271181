import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { client, take } from "../api";
import { Trouble } from "./parts";
import { StandingWord } from "./standing";

type Choice = { key: string; label: string; to: string; standing?: Parameters<typeof StandingWord>[0]["standing"] };

const places: Choice[] = [
  { key: "watch", label: "Watch: the fleet now", to: "/watch" },
  { key: "policies", label: "Policies", to: "/policies" },
  { key: "devices", label: "Devices", to: "/devices" },
  { key: "passwords", label: "Passwords: view one", to: "/passwords" },
  { key: "drift", label: "Drift: open findings", to: "/drift" },
];

/** Finds a device or a place, from anywhere, with Ctrl-K. */
export function Palette() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setOpen(true);
      }
    };
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, []);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger className="flex w-56 items-center justify-between rounded-sm border border-band-second/40 px-2.5 py-1 text-left text-band-second hover:text-band-ink">
        Find a device <kbd className="font-mono text-xs">Ctrl K</kbd>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-24 left-1/2 z-40 w-[560px] -translate-x-1/2 rounded-sm border border-hairline bg-sheet shadow-xl"
        >
          <Dialog.Title className="sr-only">Find a device or a place</Dialog.Title>
          <Search close={() => setOpen(false)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Search({ close }: { close: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const [entered, setEntered] = useState(false); // before the answer was there
  const navigate = useNavigate();
  const found = useQuery({
    queryKey: ["devices", "palette", text],
    enabled: text.length > 0,
    queryFn: () => take(client.GET("/api/v1/devices", { params: { query: { search: text, limit: 8 } } })),
  });
  const devices: Choice[] = text
    ? (found.data?.items ?? []).map((d) => ({
        key: d.id,
        label: d.name,
        to: `/devices/${d.name}`,
        standing: d.standing,
      }))
    : [];
  const choices = [...devices, ...places.filter((p) => p.label.toLowerCase().includes(text.toLowerCase()))];
  const go = (choice: Choice | undefined) => {
    if (!choice) return;
    close();
    navigate(choice.to);
  };
  const looking = text.length > 0 && found.isPending;
  const goFirst = useRef(go);
  goFirst.current = go;
  const first = choices[0];
  useEffect(() => {
    if (entered && !looking) goFirst.current(first);
    if (!looking) setEntered(false);
  }, [entered, looking, first]);
  const onKey = (event: React.KeyboardEvent) => {
    if (event.key === "ArrowDown") setAt(Math.min(at + 1, choices.length - 1));
    else if (event.key === "ArrowUp") setAt(Math.max(at - 1, 0));
    else if (event.key === "Enter") looking ? setEntered(true) : go(choices[at]);
    else return;
    event.preventDefault();
  };
  return (
    <div>
      <input
        type="text"
        role="combobox"
        aria-expanded
        aria-controls="palette-choices"
        aria-activedescendant={choices[at] && `choice-${choices[at].key}`}
        aria-label="Name, serial or model of a device, or a place"
        placeholder="Name, serial or model of a device, or a place"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
          setEntered(false);
        }}
        onKeyDown={onKey}
        className="w-full border-b border-hairline bg-transparent px-4 py-3 outline-none"
      />
      <div id="palette-choices" role="listbox" aria-label="Found" className="max-h-80 overflow-auto py-1">
        {choices.map((choice, i) => (
          <div
            key={choice.key}
            id={`choice-${choice.key}`}
            role="option"
            tabIndex={-1}
            aria-selected={i === at}
            onMouseEnter={() => setAt(i)}
            onClick={() => go(choice)}
            onKeyDown={onKey}
            className={`flex cursor-pointer items-center justify-between px-4 py-1.5 ${i === at ? "bg-brass/15" : ""}`}
          >
            <span className={choice.standing ? "font-mono" : ""}>{choice.label}</span>
            {choice.standing && <StandingWord standing={choice.standing} />}
          </div>
        ))}
        {found.error && <Trouble error={found.error} />}
        {choices.length === 0 && !found.error && (
          <p className="px-4 py-2 text-second">{looking ? "Looking …" : "Nothing found."}</p>
        )}
      </div>
    </div>
  );
}
