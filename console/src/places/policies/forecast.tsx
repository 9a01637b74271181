import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import type { Assignment, ChangeEdit } from "@/api/types";
import { PreviewSums } from "@/changes/sums";
import { useAddEdit } from "@/changes/use-add-edit";
import { Button } from "@/ui/button";
import { Aside, Loading, Trouble } from "@/ui/page";

/** What an assignment on trial would do over the fleet if it were enforced, and the way to make it so. */
export function Forecast({ of, mayEdit }: { of: Assignment; mayEdit: boolean }) {
  const { policy, include, exclude, within, rank } = of;
  const real: ChangeEdit = {
    kind: "assign",
    name: of.name,
    based_on: of.version,
    assignment: { policy, include, exclude, within, rank, stance: "enforce" },
  };
  const preview = useQuery(read.previewOf([real]));
  const adding = useAddEdit();
  return (
    <Aside title="If it were enforced">
      {preview.isPending && <Loading />}
      {preview.error && <Trouble error={preview.error} />}
      {preview.data && <PreviewSums preview={preview.data} />}
      {mayEdit && (
        <div className="mt-3">
          <Button disabled={adding.busy} onClick={() => adding.add([real])}>
            Make it real: add to the change
          </Button>
        </div>
      )}
      {adding.error && <Trouble error={adding.error} />}
      {adding.dialog}
    </Aside>
  );
}
