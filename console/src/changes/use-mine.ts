import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { read } from "@/api/queries";
import { useKeptName } from "./kept";
import { type Mine, mineOf } from "./mine";

/** The change that one's edits go into, and the ways to choose another one, or none. */
export function useMine(): { mine: Mine; choose: (name: string) => void; leave: () => void } {
  const [name, keep] = useKeptName();
  const found = useQuery(read.change(name));
  return { mine: mineOf(name, found.data, found.error), choose: keep, leave: () => keep("") };
}

/** Lets go of a change that ended, in every tab. It stands once, in the bar of every page. */
export function useLettingGo(mine: Mine) {
  const [name, keep] = useKeptName();
  const ended = name !== "" && mine.at === "none";
  useEffect(() => {
    if (ended) keep("");
  }, [ended, keep]);
}
