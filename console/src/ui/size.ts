import { type RefObject, useLayoutEffect, useRef, useState } from "react";

/** The width of an element, in CSS pixels, as it is now; 0 before it is laid out, or while it is not wanted. */
export function useSize<E extends Element>(wanted = true): [RefObject<E | null>, number] {
  const element = useRef<E>(null);
  const [width, setWidth] = useState(0);
  // Before anything is painted, so that nothing below it moves.
  useLayoutEffect(() => {
    const found = element.current;
    if (!wanted || !found || typeof ResizeObserver === "undefined") return;
    const measure = () => setWidth(Math.floor(found.getBoundingClientRect().width));
    measure();
    const watching = new ResizeObserver(measure);
    watching.observe(found);
    return () => watching.disconnect();
  }, [wanted]);
  return [element, width];
}
