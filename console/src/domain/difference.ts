/** One line of a difference. */
export type Line = { key: string; kind: "same" | "added" | "removed"; text: string };

/** The lines of two texts, with those that only one of them has (longest common subsequence). */
export function lineDifference(before: string, after: string): Line[] {
  const a = before === "" ? [] : before.replace(/\n$/, "").split("\n");
  const b = after === "" ? [] : after.replace(/\n$/, "").split("\n");
  const width = b.length + 1;
  const common = new Uint32Array((a.length + 1) * width); // of what is left of both, by position
  for (let i = a.length - 1; i >= 0; i--) {
    for (let j = b.length - 1; j >= 0; j--) {
      const at = i * width + j;
      common[at] =
        a[i] === b[j] ? (common[at + width + 1] ?? 0) + 1 : Math.max(common[at + width] ?? 0, common[at + 1] ?? 0);
    }
  }
  const lines: Line[] = [];
  const put = (kind: Line["kind"], text = "") => lines.push({ key: `${lines.length}`, kind, text });
  let i = 0;
  let j = 0;
  while (i < a.length || j < b.length) {
    if (i < a.length && j < b.length && a[i] === b[j]) {
      put("same", a[i++]);
      j++;
    } else if (
      j === b.length ||
      (i < a.length && (common[(i + 1) * width + j] ?? 0) >= (common[i * width + j + 1] ?? 0))
    ) {
      put("removed", a[i++]);
    } else {
      put("added", b[j++]);
    }
  }
  return lines;
}
