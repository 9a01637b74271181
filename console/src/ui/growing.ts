import { startTransition, useEffect, useState } from "react";

/** How many more are drawn at a time. */
const step = 8;

/** The first of many things, and a few more each time that the browser has nothing else to do, until all are drawn. */
export function useGrowing<T>(all: T[]): T[] {
  const [shown, show] = useState(step);
  useEffect(() => {
    if (shown >= all.length) return;
    const timer = setTimeout(() => startTransition(() => show(shown + step)));
    return () => clearTimeout(timer);
  }, [shown, all.length]);
  return all.slice(0, shown);
}
