import { Fragment } from "react";
import { useLetters } from "@/ui/letters";

/** Words of the service, with security identifiers set so that they can be read and stay whole. */
export function Words({ children }: { children: string }) {
  const write = useLetters();
  return write(children)
    .split(/(S-1-[0-9-]+)/)
    .map((part, i) => {
      // biome-ignore lint/suspicious/noArrayIndexKey: the parts of one sentence never move
      if (i % 2 === 0) return <Fragment key={i}>{part}</Fragment>;
      return (
        // biome-ignore lint/suspicious/noArrayIndexKey: the parts of one sentence never move
        <span key={i} className="font-mono text-sm whitespace-nowrap">
          {part}
        </span>
      );
    });
}
