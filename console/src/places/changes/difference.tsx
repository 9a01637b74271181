import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { EditState, Schemas } from "@/api/types";
import { lineDifference } from "@/domain/difference";
import { Lines } from "@/domain/lines";
import { Loading, Trouble } from "@/ui/page";

type DifferenceProps = { edit: EditState; short?: boolean }; // short: the first lines that differ

/** What an edit changes, line by line, against what is in force now. */
export function Difference({ edit, short }: DifferenceProps) {
  const policy = useQuery({ ...read.policy(edit.name), enabled: edit.type === "policy" && edit.now > 0 });
  const aim = useQuery({ ...read.assignment(edit.name), enabled: edit.type === "assignment" && edit.now > 0 });
  if (policy.isLoading || aim.isLoading) return <Loading />;
  const error = policy.error ?? aim.error;
  if (error) return <Trouble error={error} />;
  const [before, after] = {
    policy: [policy.data?.source ?? "", edit.document ?? ""],
    assignment: [aimText(aim.data), aimText(edit.assignment)],
    group: ["", groupText(edit.group)],
  }[edit.type];
  const lines = lineDifference(before ?? "", after ?? "");
  if (!short) return <Lines label={`Difference of ${edit.name}`} lines={lines} />;
  const differ = lines.filter((line) => line.kind !== "same");
  return (
    <>
      <Lines label={`What differs in ${edit.name}`} lines={differ.slice(0, atFirst)} />
      {differ.length > atFirst && (
        <p className="text-xs text-second">
          and {differ.length - atFirst === 1 ? "1 more line" : `${differ.length - atFirst} more lines`}
        </p>
      )}
    </>
  );
}

/** How many lines that differ are shown before somebody asks for the whole. */
const atFirst = 6;

function aimText(aim: Schemas["Aim"] | undefined): string {
  if (!aim) return "";
  return [
    `policy: ${aim.policy}`,
    `rank: ${aim.rank}`,
    `stance: ${aim.stance ?? "enforce"}`,
    `include: ${aim.include.join(", ")}`,
    ...(aim.exclude?.length ? [`exclude: ${aim.exclude.join(", ")}`] : []),
    ...(aim.within?.length ? [`within: ${aim.within.join(", ")}`] : []),
  ].join("\n");
}

function groupText(group: Schemas["GroupBody"] | undefined): string {
  if (!group) return "";
  if (group.amend) {
    return [
      ...(group.add ?? []).map((name) => `comes: ${name}`),
      ...(group.remove ?? []).map((name) => `leaves: ${name}`),
    ].join("\n");
  }
  return group.rule ? `rule: ${group.rule}` : (group.devices ?? []).join("\n");
}
