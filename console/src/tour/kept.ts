import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";

/*
 * How far somebody has come with the tour: new, at a stop, or left. The service keeps it, for every browser that they use; left
 * once, it never comes back unasked, in this browser not even while the service does not answer.
 */

type State = { at: number } | "new" | "left" | "unknown";

const key = (name: string) => `rankwarden tour of ${name}`;

const parse = (text: string | undefined): State => {
  if (text === undefined) return "unknown";
  if (text === "") return "new";
  const at = Number(text);
  return text !== "left" && Number.isInteger(at) && at >= 0 ? { at } : "left";
};

/** Where somebody is with the tour, and how one goes on. */
export function useTour(name: string): [State, (next: number | "left") => void] {
  const queries = useQueryClient();
  const [leftHere, setLeftHere] = useState(localStorage.getItem(key(name)) === "left");
  const kept = useQuery({ ...read.tour(), enabled: !leftHere }).data?.at;
  const set = (next: number | "left") => {
    const at = String(next);
    if (next === "left") localStorage.setItem(key(name), at);
    else localStorage.removeItem(key(name));
    setLeftHere(next === "left");
    queries.setQueryData(read.tour().queryKey, { at });
    change.setTour(at).catch(() => undefined); // the tour goes on in this browser all the same
  };
  return [leftHere ? "left" : parse(kept), set];
}
