import type { Warrant } from "@/api/types";

/** Whom a warrant makes a member, as people say it. */
export const holder = (w: Warrant) => w.principal.replace(/^(user|group|local):/, "");

const states: Record<Warrant["state"], string> = {
  waiting: "waits for somebody to agree",
  agreed: "begins later",
  refused: "refused",
  taken_back: "taken back",
  ended: "over",
};

/** How a warrant stands, in words. */
export const standsAs = (w: Warrant) => (w.runs ? "runs" : states[w.state]);

const most = 4;

/** Some names of a list, and how many more there are. */
export const someOf = (names: string[]) =>
  names.slice(0, most).join(", ") + (names.length > most ? ` and ${names.length - most} more` : "");
