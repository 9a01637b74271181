import { Fragment } from "react";

/** A text with names of the directory, which may break before their domain and nowhere else within a word. */
export function Breakable({ text }: { text: string }) {
  return text.split(/(?=@)/).map((part, at) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: the parts of one text never move
    <Fragment key={at}>
      {at > 0 && <wbr />}
      {part}
    </Fragment>
  ));
}
