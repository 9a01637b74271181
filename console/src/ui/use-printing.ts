import { useEffect, useState } from "react";
import { flushSync } from "react-dom";

/** Whether the page is being printed: then everything that was read is drawn, not only what is in sight. */
export function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    const begin = () => flushSync(() => setPrinting(true)); // the browser prints what stands when this returns
    const end = () => setPrinting(false);
    addEventListener("beforeprint", begin);
    addEventListener("afterprint", end);
    return () => {
      removeEventListener("beforeprint", begin);
      removeEventListener("afterprint", end);
    };
  }, []);
  return printing;
}
