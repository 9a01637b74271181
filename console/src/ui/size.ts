import { type RefObject, useEffect, useRef, useState } from "react";

/** The width of an element, in CSS pixels, as it is now; 0 before it is laid out. */
export function useSize<E extends Element>(): [RefObject<E | null>, number] {
  const element = useRef<E>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const found = element.current;
    if (!found || typeof ResizeObserver === "undefined") return;
    const watching = new ResizeObserver(() => setWidth(Math.floor(found.getBoundingClientRect().width)));
    watching.observe(found);
    return () => watching.disconnect();
  }, []);
  return [element, width];
}
