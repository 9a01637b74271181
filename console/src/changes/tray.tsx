import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useCurrentChange } from "./current";
import { isClosed } from "./words";

/** Shows everywhere which change the edits go into, and how many it has. */
export function Tray() {
  const [name] = useCurrentChange();
  const current = useQuery(read.change(name));
  const look = "rounded-sm border px-2.5 py-1 whitespace-nowrap hover:no-underline";
  if (name && current.data && !isClosed(current.data.state)) {
    const edits = current.data.edits.length;
    return (
      <Link
        to={`/changes/${name}`}
        title={current.data.title || name}
        className={`${look} border-brass-bright font-semibold text-brass-bright`}
      >
        Draft change: {edits} {edits === 1 ? "edit" : "edits"}
      </Link>
    );
  }
  return (
    <Link to="/changes" className={`${look} border-band-second/40 text-band-second hover:text-band-ink`}>
      Changes
    </Link>
  );
}
