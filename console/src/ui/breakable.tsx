import { Fragment } from "react";
import { useLetters } from "./letters";

/** A text with names of the directory, which may break before their domain and nowhere else within a word. */
export function Breakable({ text }: { text: string }) {
  const write = useLetters();
  return write(text)
    .split(/(?=@)/)
    .map((part, at) => (
      // biome-ignore lint/suspicious/noArrayIndexKey: the parts of one text never move
      <Fragment key={at}>
        {at > 0 && <wbr />}
        {part}
      </Fragment>
    ));
}
