import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { Schemas } from "@/api/types";
import { actions, actorOf, objectOf } from "@/domain/actions";
import { stamp } from "@/domain/time";
import { TextButton } from "@/ui/button";
import { Aside, Loading, Trouble } from "@/ui/page";

/** A value as people write it: a text without its quotes. */
const plain = (value: unknown) => (typeof value === "string" ? value : JSON.stringify(value));

/** One entry, with what was before and what was after. */
export function Entry({ seq, close }: { seq: number; close: () => void }) {
  const found = useQuery(read.trailEntry(seq));
  const e = found.data;
  return (
    <Aside title={`Entry ${seq}`}>
      {found.error && <Trouble error={found.error} />}
      {found.isPending && <Loading />}
      {e && (
        <>
          <dl className="grid grid-cols-[80px_1fr] gap-x-3 gap-y-1 break-words">
            <Fact name="When">{stamp(e.at)}</Fact>
            <Fact name="Who">{actorOf(e)}</Fact>
            {e.address && <Fact name="From">{e.address}</Fact>}
            <Fact name="Action">{actions[e.action] ?? e.action}</Fact>
            {objectOf(e) && <Fact name="On">{objectOf(e)}</Fact>}
            {e.reason && <Fact name="Reason">{e.reason}</Fact>}
            <Fact name="Outcome">
              <span className={e.outcome === "refused" ? "font-semibold text-red" : ""}>{e.outcome}</span>
            </Fact>
          </dl>
          <Differences of={e.differences} />
          <p
            className="mt-3 font-mono text-xs break-all text-second"
            title="SHA-256 over this entry and the one before"
          >
            {e.hash}
          </p>
        </>
      )}
      <p className="mt-3">
        <TextButton onClick={close}>Close</TextButton>
      </p>
    </Aside>
  );
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="text-second">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}

function Differences({ of }: { of: Schemas["TrailDifference"][] }) {
  if (of.length === 0) return <p className="mt-3 text-second">It holds no values.</p>;
  return (
    <table className="mt-3 w-full table-fixed text-left">
      <caption className="sr-only">What was before and after</caption>
      <thead>
        <tr className="border-b border-ink text-xs text-second">
          <th className="py-1 pr-2 font-semibold">What</th>
          <th className="py-1 pr-2 font-semibold">Before</th>
          <th className="py-1 font-semibold">After</th>
        </tr>
      </thead>
      <tbody>
        {of.map((d) => (
          <tr key={d.path} className="border-b border-hairline align-top">
            <td className="py-1 pr-2 break-words">{d.path || "value"}</td>
            <td className="py-1 pr-2 font-mono text-xs leading-5 break-words text-second">
              {d.before === undefined ? "" : <del className="no-underline">{plain(d.before)}</del>}
            </td>
            <td className="py-1 font-mono text-xs leading-5 break-words">
              {d.after === undefined ? "" : <ins className="no-underline">{plain(d.after)}</ins>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
