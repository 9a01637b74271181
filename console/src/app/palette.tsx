import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { read } from "@/api/queries";
import { StandingWord } from "@/domain/standing";
import { Trouble } from "@/ui/page";
import { places } from "./places";

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
      <Dialog.Trigger className="flex w-48 items-center whitespace-nowrap justify-between rounded-sm border border-band-second/40 px-2.5 py-1 text-left text-band-second hover:text-band-ink">
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

const prompt = "Name, serial or model of a device, or a place";
/** What can be gone to and stands in no band. */
const more = [
  { to: "/changes", title: "Changes: drafts, approvals, history" },
  { to: "/assignments", title: "Assignments: policies aimed at groups" },
  { to: "/new-policy", title: "Write a policy" },
];
const item = "flex cursor-pointer items-center justify-between px-4 py-1.5 data-[selected=true]:bg-brass/15";

function Search({ close }: { close: () => void }) {
  const [text, setText] = useState("");
  const [entered, setEntered] = useState(""); // for what Enter was pressed before the answer was there
  const navigate = useNavigate();
  const found = useQuery({ ...read.devicesLike(text.trim()), placeholderData: keepPreviousData });
  const looking = text.trim().length > 0 && (found.isPending || found.isPlaceholderData);
  const devices = text.trim() && !looking ? (found.data?.items ?? []) : [];
  const known = [...places, ...more].filter((p) => p.title.toLowerCase().includes(text.trim().toLowerCase()));
  const go = (to: string) => {
    close();
    navigate(to);
  };
  const first = devices[0] ? `/devices/${devices[0].name}` : known[0]?.to;
  useEffect(() => {
    if (!entered || looking) return;
    setEntered("");
    if (entered === text && first) {
      close();
      navigate(first);
    }
  }, [entered, looking, text, first, close, navigate]);
  return (
    <Command label="Find a device or a place" shouldFilter={false} loop>
      <Command.Input
        value={text}
        onValueChange={(next) => {
          setText(next);
          setEntered("");
        }}
        onKeyDown={(event) => {
          if (event.key !== "Enter" || !looking) return;
          event.preventDefault(); // what stands first is not known yet
          setEntered(text);
        }}
        aria-label={prompt}
        placeholder={prompt}
        className="w-full border-b border-hairline bg-transparent px-4 py-3 outline-none"
      />
      <Command.List label="Found" className="max-h-80 overflow-auto py-1">
        {devices.map((d) => (
          <Command.Item key={d.id} value={d.id} onSelect={() => go(`/devices/${d.name}`)} className={item}>
            <span className="font-mono">{d.name}</span>
            <StandingWord standing={d.standing} />
          </Command.Item>
        ))}
        {!looking &&
          known.map((place) => (
            <Command.Item key={place.to} value={place.to} onSelect={() => go(place.to)} className={item}>
              {place.title}
            </Command.Item>
          ))}
        {found.error && <Trouble error={found.error} />}
        {(looking || devices.length + known.length === 0) && !found.error && (
          <p className="px-4 py-2 text-second">{looking ? "Looking …" : "Nothing found."}</p>
        )}
      </Command.List>
    </Command>
  );
}
