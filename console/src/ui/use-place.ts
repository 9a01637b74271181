import { type RefObject, useEffect } from "react";
import { useLocation, useNavigationType } from "react-router";

/** How far lists were scrolled, by visit of a page and list. */
const places = new Map<string, number>();

/** How far a list was scrolled when one left it, for whoever comes back to it with Back. */
export function usePlace(label: string, scroll: RefObject<HTMLElement | null>): number {
  const { key } = useLocation();
  const back = useNavigationType() === "POP";
  const name = `${key} ${label}`;
  useEffect(() => {
    const list = scroll.current;
    if (!list) return;
    const note = () => places.set(name, list.scrollTop);
    list.addEventListener("scroll", note, { passive: true });
    return () => list.removeEventListener("scroll", note);
  }, [name, scroll]);
  return back ? (places.get(name) ?? 0) : 0;
}
