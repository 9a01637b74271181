import { Link, useNavigate } from "react-router";
import type { Overview, Standing } from "@/api/types";
import { looks, order, StandingBar, total } from "@/domain/standing";
import { useGrowing } from "@/ui/growing";
import { MarkField, type MarkLook } from "@/ui/mark-field";
import { Marks } from "@/ui/marks";
import { Nothing } from "@/ui/page";
import { useSize } from "@/ui/size";

/** The groups with one mark for each of their devices. */
export function Strips({ fleet }: { fleet: Overview }) {
  const [column, width] = useSize<HTMLTableCellElement>(); // measured once for all groups
  const strips = useGrowing(fleet.strips);
  if (fleet.strips.length === 0) {
    return <Nothing>No groups yet. Create one with the command: rankwarden group create NAME DEVICE...</Nothing>;
  }
  return (
    <section className="border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">Groups (one mark per device)</h2>
      <table className="w-full">
        <thead className="sr-only">
          <tr>
            <th>Group</th>
            <th>Devices</th>
            <th>In step</th>
          </tr>
        </thead>
        <tbody>
          {strips.map((strip, at) => (
            <tr key={strip.group} className="border-b border-hairline align-top">
              <th scope="row" className="w-44 py-2 text-left font-normal">
                <Link to={`/devices?group=${strip.group}`}>{strip.group}</Link>
              </th>
              <td ref={at === 0 ? column : undefined} className="py-2">
                {strip.marks.length > 0 ? (
                  <Marks
                    label={`Devices of ${strip.group}`}
                    marks={strip.marks.map((m) => ({ ...looks[m.standing], id: m.device_id, device: m.device }))}
                  />
                ) : (
                  <>
                    <StandingBar standings={strip.standings} thin />
                    {strip.field && <Field group={strip.group} field={strip.field} width={width} />}
                  </>
                )}
              </td>
              <td className="w-36 py-2 text-right whitespace-nowrap text-second">
                {strip.standings.in_step} of {total(strip.standings)} in step
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-3 flex flex-wrap gap-x-5 text-xs text-second">
        {order.map((s) => (
          <span key={s}>
            <span aria-hidden className={looks[s].text}>
              {looks[s].glyph}
            </span>{" "}
            {looks[s].word}
          </span>
        ))}
      </p>
    </section>
  );
}

const fieldLooks: Record<string, MarkLook & { standing: Standing }> = {
  s: { standing: "in_step", word: looks.in_step.word, colour: "--green", shape: "dot" },
  d: { standing: "drifted", word: looks.drifted.word, colour: "--red", shape: "diamond" },
  w: { standing: "waiting", word: looks.waiting.word, colour: "--waiting", shape: "ring" },
  h: { standing: "held", word: looks.held.word, colour: "--held", shape: "bars" },
  o: { standing: "silent", word: looks.silent.word, colour: "--silent", shape: "speck" },
};

/** The devices of a large group; a mark leads to the list of those that stand as it does. */
function Field({ group, field, width }: { group: string; field: string; width: number }) {
  const navigate = useNavigate();
  return (
    <div className="mt-1.5">
      <MarkField
        label={`Devices of ${group}`}
        letters={field}
        looks={fieldLooks}
        width={width}
        onPick={(letter) => navigate(`/devices?group=${group}&standing=${fieldLooks[letter]?.standing}`)}
      />
    </div>
  );
}
