import { createContext, useContext } from "react";

/** How names stand in a text: in the letters that the directory gives them, where those are known. */
export const LettersContext = createContext<(text: string) => string>((text) => text);

export const useLetters = () => useContext(LettersContext);

const plain = (name: string) => name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** Writes names of the directory, which are compared in lower case, as the directory does. */
export function lettersOf(names: string[]): (text: string) => string {
  const written = new Map(names.map((name) => [name.toLowerCase(), name]));
  const others = [...written].filter(([lower, name]) => lower !== name).map(([lower]) => lower);
  if (others.length === 0) return (text) => text;
  others.sort((a, b) => b.length - a.length); // the longer one first: it may end as another does
  const any = new RegExp(`(?<![\\w.-])(?:${others.map(plain).join("|")})(?![\\w-])`, "g");
  return (text) => (text.includes("@") ? text.replace(any, (name) => written.get(name) ?? name) : text);
}
