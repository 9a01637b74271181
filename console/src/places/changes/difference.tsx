import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { EditState, Schemas } from "@/api/types";
import { lineDifference } from "@/domain/difference";
import { Lines } from "@/domain/lines";
import { Loading, Trouble } from "@/ui/page";

/** What an edit changes, line by line, against what is in force now. */
export function Difference({ edit }: { edit: EditState }) {
  if (edit.type === "policy") return <PolicyDifference edit={edit} />;
  if (edit.type === "assignment") return <AssignmentDifference edit={edit} />;
  return <Lines label="Difference" lines={lineDifference("", groupText(edit.group))} />;
}

function PolicyDifference({ edit }: { edit: EditState }) {
  const now = useQuery({ ...read.policy(edit.name), enabled: edit.now > 0 });
  if (edit.now > 0 && now.isPending) return <Loading />;
  if (now.error) return <Trouble error={now.error} />;
  return <Lines label="Difference" lines={lineDifference(now.data?.source ?? "", edit.document ?? "")} />;
}

function AssignmentDifference({ edit }: { edit: EditState }) {
  const now = useQuery({ ...read.assignment(edit.name), enabled: edit.now > 0 });
  if (edit.now > 0 && now.isPending) return <Loading />;
  if (now.error) return <Trouble error={now.error} />;
  return <Lines label="Difference" lines={lineDifference(aimText(now.data), aimText(edit.assignment))} />;
}

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
