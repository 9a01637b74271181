import { useEffect } from "react";
import { useNavigate } from "react-router";
import type { Me } from "@/api/types";
import { Button, TextButton } from "@/ui/button";
import { useTour } from "./kept";
import { stops } from "./stops";

/** The tour above the page: offered to who opens the console first, gone for good once it is left. */
export function Tour({ me }: { me: Me }) {
  const [state, set] = useTour(me.name);
  const navigate = useNavigate();
  const mine = stops.filter((s) => !s.right || me.rights.includes(s.right));
  const go = (at: number) => {
    const stop = mine[at];
    set(stop ? at : "left");
    if (stop) navigate(stop.to);
  };
  if (state === "left" || state === "unknown") return null;
  if (state === "new") {
    return (
      <aside
        aria-label="Tour"
        className="flex items-center gap-4 border-b border-hairline bg-sheet px-6 py-2 print:hidden"
      >
        <p className="grow">
          <span className="font-semibold">New here?</span> A tour shows the whole job in {mine.length} stops, two
          minutes.
        </p>
        <Button primary onClick={() => go(0)}>
          Show me
        </Button>
        <TextButton onClick={() => set("left")}>No, thanks</TextButton>
      </aside>
    );
  }
  const stop = mine[state.at];
  if (!stop) return null;
  const last = state.at === mine.length - 1;
  return (
    <aside
      aria-label="Tour"
      aria-live="polite"
      className="flex items-start gap-6 border-b-2 border-brass bg-sheet px-6 py-3 print:hidden"
    >
      <p className="w-16 shrink-0 pt-0.5 text-second tabular-nums">
        {state.at + 1} of {mine.length}
      </p>
      <Point key={stop.to} at={stop.points} />
      <div className="max-w-[900px] min-w-0 grow">
        <h2 className="font-bold">{stop.title}</h2>
        <p>{stop.text}</p>
      </div>
      <div className="flex shrink-0 items-center gap-2">
        {state.at > 0 && <Button onClick={() => go(state.at - 1)}>Back</Button>}
        <Button primary onClick={() => go(state.at + 1)}>
          {last ? "Finish" : "Next"}
        </Button>
        {!last && <TextButton onClick={() => set("left")}>Leave the tour</TextButton>}
      </div>
    </aside>
  );
}

/** Marks what a stop is about on the page, as soon as the page has it. */
function Point({ at }: { at: string }) {
  useEffect(() => {
    let marked: Element | null = null;
    const mark = () => {
      if (marked?.isConnected) return;
      marked = document.querySelector(`#content ${at}`);
      marked?.classList.add("tour-point");
    };
    mark();
    const watching = new MutationObserver(mark);
    watching.observe(document.body, { childList: true, subtree: true });
    return () => {
      watching.disconnect();
      marked?.classList.remove("tour-point");
    };
  }, [at]);
  return null;
}
