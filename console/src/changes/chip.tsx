import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useRights } from "@/api/rights";
import { Choice, Choosing, menuTrigger } from "@/ui/menu";
import { ChooseChange } from "./choose-change";
import { nextWords } from "./mine";
import { useLettingGo, useMine } from "./use-mine";

/** Shows everywhere which change one's edits go into and what its next step is, with a menu. */
export function Chip() {
  const { mine, choose, leave } = useMine();
  useLettingGo(mine);
  const mayDraft = useRights()("draft");
  const navigate = useNavigate();
  const [choosing, setChoosing] = useState(false);
  const dialog = (
    <ChooseChange
      open={choosing}
      close={() => setChoosing(false)}
      chosen={(name) => {
        choose(name);
        setChoosing(false);
        navigate(`/changes/${name}`);
      }}
    />
  );
  if (!("change" in mine)) {
    return (
      <Link
        to="/changes"
        className="rounded-sm border border-band-second/40 px-2.5 py-1 text-band-second hover:text-band-ink hover:no-underline"
      >
        Changes
      </Link>
    );
  }
  const of = mine.change;
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className={`${menuTrigger} min-w-0 border border-brass-bright text-band-ink`}
          title={of.title || of.name}
        >
          <span className="max-w-48 min-w-0 shrink truncate font-semibold max-[640px]:sr-only">
            {of.title || of.name}
          </span>
          <span className="text-brass-bright max-[640px]:hidden" aria-hidden="true">
            ·
          </span>
          <span className="shrink-0 text-brass-bright">{nextWords(of)}</span>
        </DropdownMenu.Trigger>
        <Choosing>
          <Choice onSelect={() => navigate(`/changes/${of.name}`)}>Review it</Choice>
          {mayDraft && <Choice onSelect={() => setChoosing(true)}>Switch to another, or start a new one…</Choice>}
          <Choice onSelect={leave}>Add no more edits to it</Choice>
          <Choice onSelect={() => navigate("/changes")}>All changes</Choice>
        </Choosing>
      </DropdownMenu.Root>
      {dialog}
    </>
  );
}
