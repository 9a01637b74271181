import { useEffect, useState } from "react";

const pause = 300; // milliseconds without a change

/** A value once it has not changed for a moment. */
export function useStill<T>(value: T): T {
  const text = JSON.stringify(value);
  const [still, setStill] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setStill(text), pause);
    return () => clearTimeout(timer);
  }, [text]);
  return still === undefined ? (undefined as T) : JSON.parse(still);
}
