import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { ChangeEdit, EditState, Policy } from "@/api/types";
import { useDrafted, withEdits } from "@/changes/drafted";
import { PreviewSums } from "@/changes/sums";
import { useStill } from "@/domain/still";
import { Aside, Trouble } from "@/ui/page";

/** The edit that publishes what is typed, while it can be used. */
export function useDocumentEdit(
  source: string,
  policy: Policy | undefined,
  drafted: EditState | undefined,
  usable: boolean,
): ChangeEdit | undefined {
  const name = /^name:\s*([a-z0-9][a-z0-9-]*)\s*(#.*)?$/m.exec(source)?.[1];
  const still = useStill({ source, usable });
  if (!name || !still.usable || still.source !== source || (policy && policy.name !== name)) return undefined;
  return { kind: "publish", name, document: source, based_on: drafted?.based_on ?? policy?.version ?? 0 };
}

/** What publishing what is typed would do, while one types. */
export function WhatItDoes({ edit }: { edit: ChangeEdit }) {
  const drafted = useDrafted();
  const preview = useQuery({ ...read.previewOf(withEdits(drafted, [edit])), placeholderData: keepPreviousData });
  return (
    <Aside title={drafted.length > 0 ? "What it would do with the draft change" : "What it would do"}>
      <div aria-live="polite" className={preview.isFetching ? "opacity-60" : ""}>
        {preview.error && <Trouble error={preview.error} />}
        {preview.data && <PreviewSums preview={preview.data} />}
      </div>
    </Aside>
  );
}
