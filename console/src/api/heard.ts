import { useEffect, useState } from "react";

/** Milliseconds without a word of the service after which the page says so: its stream beats every ten seconds. */
export const longQuiet = 25_000;

let last = Date.now();

/** The service was heard: an answer, or a beat of its stream. */
export function heard() {
  last = Date.now();
}

/** Since when the service is quiet for too long; 0 while it is not. */
export const quietSince = (lastHeard: number, now: number) => (now - lastHeard > longQuiet ? lastHeard : 0);

/** Since when the service has not been heard, in milliseconds since 1970; 0 while it is heard. */
export function useQuiet(signedIn: boolean): number {
  const [since, setSince] = useState(0);
  useEffect(() => {
    if (!signedIn) return;
    heard(); // whoever just signed in was answered
    const timer = setInterval(() => setSince(quietSince(last, Date.now())), 1000);
    return () => clearInterval(timer);
  }, [signedIn]);
  return signedIn ? since : 0;
}
