import { useCallback, useRef } from "react";

/** A function that stays the same while what it does follows the latest drawing, for what is drawn again only when it differs. */
export function useStable<A extends unknown[]>(does: (...args: A) => void): (...args: A) => void {
  const latest = useRef(does);
  latest.current = does;
  return useCallback((...args: A) => latest.current(...args), []);
}
