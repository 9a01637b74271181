type CountRowProps = { title: string; note?: string; count: string; chosen: boolean; choose: () => void };

/** One count of findings; pressed, it narrows the list to what it counts. */
export function CountRow({ title, note, count, chosen, choose }: CountRowProps) {
  return (
    <li className="border-b border-hairline">
      <button
        type="button"
        aria-pressed={chosen}
        onClick={choose}
        className={`flex w-full justify-between gap-3 px-2 py-1.5 text-left hover:bg-sheet ${chosen ? "bg-ink font-semibold text-paper hover:bg-ink" : ""}`}
      >
        <span className="min-w-0 break-words">
          {title}
          {note && <span className={`block text-xs ${chosen ? "" : "text-second"}`}>{note}</span>}
        </span>
        <span className="text-right whitespace-nowrap">{count}</span>
      </button>
    </li>
  );
}
