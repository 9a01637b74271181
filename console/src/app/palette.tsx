import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Search } from "lucide-react";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { read } from "@/api/queries";
import { counted } from "@/domain/count";
import { StandingWord } from "@/domain/standing";
import { Trouble } from "@/ui/page";
import { morePlaces, placesOf } from "./places";

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
      <Dialog.Trigger className="flex shrink-0 items-center gap-3 rounded-sm border border-band-second/40 px-2.5 py-1 whitespace-nowrap text-band-second hover:text-band-ink">
        <Search className="size-4" aria-hidden="true" />
        <span className="max-[1290px]:sr-only">Find anything</span>
        <kbd className="font-mono text-xs max-[900px]:hidden">Ctrl K</kbd>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          onCloseAutoFocus={(event) => {
            // Not the button that opened it: the key that chose something would press it, and open it again.
            event.preventDefault();
            document.querySelector("main")?.focus();
          }}
          className="fixed top-24 left-1/2 z-40 w-[560px] max-w-[calc(100vw-32px)] -translate-x-1/2 rounded-sm border border-hairline bg-sheet shadow-xl"
        >
          <Dialog.Title className="sr-only">Find a device or a place</Dialog.Title>
          <Finder close={() => setOpen(false)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const prompt = "Device, account, policy, group, change, person or place";
type Other = { to: string; title: string; kind: string };

/** What else has a name: policies, groups, assignments, changes, people. */
function useOthers(text: string): Other[] {
  const enabled = text.length > 1;
  const policies = useQuery({ ...read.policyNames(), enabled });
  const groups = useQuery({ ...read.groupNames(), enabled });
  const assignments = useQuery({ ...read.assignments(), enabled });
  const changes = useQuery({ ...read.openChanges(), enabled });
  const people = useQuery({ ...read.directoryLike(text), enabled, placeholderData: keepPreviousData });
  const accounts = useQuery({ ...read.accountsLike(text), enabled, placeholderData: keepPreviousData });
  if (!enabled) return [];
  const has = (...parts: (string | undefined)[]) => parts.some((p) => p?.toLowerCase().includes(text.toLowerCase()));
  const some = <T,>(items: T[] | undefined, keep: (item: T) => boolean, show: (item: T) => Other) =>
    (items ?? []).filter(keep).slice(0, 5).map(show);
  return [
    ...some(
      policies.data?.items,
      (p) => has(p.name, p.title),
      (p) => ({
        to: `/policies/${p.name}`,
        title: p.title || p.name,
        kind: "policy",
      }),
    ),
    ...some(
      groups.data?.items,
      (g) => has(g.name, g.description),
      (g) => ({
        to: `/organisation/groups?group=${encodeURIComponent(g.name)}`,
        title: g.name,
        kind: "group",
      }),
    ),
    ...some(
      assignments.data?.items,
      (a) => has(a.name),
      (a) => ({
        to: `/assignments?assignment=${encodeURIComponent(a.name)}`,
        title: a.name,
        kind: "assignment",
      }),
    ),
    ...some(
      changes.data?.items,
      (c) => has(c.name, c.title),
      (c) => ({
        to: `/changes/${c.name}`,
        title: c.title || c.name,
        kind: "change",
      }),
    ),
    ...some(
      people.data?.items,
      (e) => has(e.ref, e.name),
      (e) => ({
        to: `/organisation/directory?search=${encodeURIComponent(e.ref)}`,
        title: e.title,
        kind: e.kind === "user" ? "person" : "group of the directory",
      }),
    ),
    ...some(
      accounts.data?.items,
      (a) => has(a.name),
      (a) => ({
        to: `/accounts?${new URLSearchParams({ which: "all", search: a.name, account: a.name })}`,
        title: a.name,
        kind: a.devices === 1 ? "account on 1 device" : `account on ${counted(a.devices)} devices`,
      }),
    ),
  ];
}

const item = "flex cursor-pointer items-center justify-between px-4 py-1.5 data-[selected=true]:bg-brass/15";

function Finder({ close }: { close: () => void }) {
  const [text, setText] = useState("");
  const [entered, setEntered] = useState(""); // for what Enter was pressed before the answer was there
  const navigate = useNavigate();
  const found = useQuery({ ...read.devicesLike(text.trim()), placeholderData: keepPreviousData });
  const rights = useQuery(read.session()).data?.rights ?? [];
  const others = useOthers(text.trim());
  const looking = text.trim().length > 0 && (found.isPending || found.isPlaceholderData);
  const devices = text.trim() && !looking ? (found.data?.items ?? []) : [];
  const known = [...placesOf(rights), ...morePlaces(rights)].filter((p) =>
    p.title.toLowerCase().includes(text.trim().toLowerCase()),
  );
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
          others.map((o) => (
            <Command.Item key={o.to} value={o.to} onSelect={() => go(o.to)} className={item}>
              <span className="min-w-0 truncate">{o.title}</span>
              <span className="text-second">{o.kind}</span>
            </Command.Item>
          ))}
        {!looking &&
          known.map((place) => (
            <Command.Item key={place.to} value={place.to} onSelect={() => go(place.to)} className={item}>
              {place.title}
            </Command.Item>
          ))}
        {found.error && <Trouble error={found.error} />}
        {(looking || devices.length + others.length + known.length === 0) && !found.error && (
          <p className="px-4 py-2 text-second">{looking ? "Looking …" : "Nothing found."}</p>
        )}
      </Command.List>
    </Command>
  );
}
