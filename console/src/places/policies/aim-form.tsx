import { zodResolver } from "@hookform/resolvers/zod";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { read } from "@/api/queries";
import type { Assignment, ChangeEdit } from "@/api/types";
import { useDrafted, withEdits } from "@/changes/drafted";
import { GroupPicker } from "@/changes/group-picker";
import { PreviewSums } from "@/changes/sums";
import { useAddEdit } from "@/changes/use-add-edit";
import { useStill } from "@/domain/still";
import { Button } from "@/ui/button";
import { Select, TextField } from "@/ui/field";
import { Choices } from "@/ui/filters";
import { Aside, Trouble } from "@/ui/page";
import { z } from "@/ui/zod";

const shape = z.object({
  name: z
    .string()
    .regex(/^[a-z0-9][a-z0-9-]{0,62}$/, "Use 1 to 63 characters of a-z, 0-9 and -, not beginning with -."),
  policy: z.string().min(1, "Choose a policy."),
  include: z.array(z.string()).min(1, "Include a group, or everything."),
  exclude: z.array(z.string()),
  within: z.array(z.string()),
  rank: z.coerce
    .number<string>()
    .int("A rank is a whole number.")
    .min(1, "1 is the strongest.")
    .max(9999, "9999 is the weakest."),
  stance: z.enum(["enforce", "trial"]),
});

type AimFormProps = {
  assignment?: Assignment | undefined;
  policies?: string[]; // to choose from
  policy?: string; // the one that is aimed, where none is to be chosen
};

/** Aims a policy at groups; shows what that would do while one picks, and adds it to the change. */
export function AimForm({ assignment, policies = [], policy }: AimFormProps) {
  // A new one that was added is done with: the form is for the next.
  const adding = useAddEdit(() => assignment || form.reset());
  const form = useForm({
    resolver: zodResolver(shape),
    mode: "onTouched",
    defaultValues: {
      name: assignment?.name ?? policy ?? "",
      policy: assignment?.policy ?? policy ?? "",
      include: assignment?.include ?? [],
      exclude: assignment?.exclude ?? [],
      within: assignment?.within ?? [],
      rank: String(assignment?.rank ?? 300),
      stance: (assignment?.stance === "trial" ? "trial" : "enforce") as "enforce" | "trial",
    },
  });
  const values = form.watch();
  const parsed = shape.safeParse(values);
  const edit: ChangeEdit | undefined = parsed.success ? editFrom(parsed.data, assignment?.version ?? 0) : undefined;
  const still = useStill(edit);
  const drafted = useDrafted();
  const preview = useQuery({
    ...read.previewOf(still ? withEdits(drafted, [still]) : []),
    placeholderData: keepPreviousData,
  });
  const usable = [...new Set([...policies, ...drafted.filter((e) => e.type === "policy").map((e) => e.name)])].sort();
  const problems = form.formState.errors;
  const pick = (field: "include" | "exclude" | "within") => (groups: string[]) =>
    form.setValue(field, groups, { shouldValidate: true, shouldTouch: true });
  return (
    <>
      <Aside title={assignment ? `Edit ${assignment.name}` : policy ? "Aim it" : "New assignment"}>
        <form
          onSubmit={form.handleSubmit((given) => adding.add([editFrom(given, assignment?.version ?? 0)]))}
          noValidate
          className="space-y-3"
        >
          {!assignment && (
            <TextField
              quiet
              label={policy ? "Name of the assignment" : "Name"}
              className="font-mono"
              problem={problems.name?.message}
              {...form.register("name")}
            />
          )}
          {!policy && (
            <Select
              label="Policy"
              value={values.policy}
              options={[{ value: "", label: "Choose …" }, ...usable.map((p) => ({ value: p, label: p }))]}
              onChange={(policy) => form.setValue("policy", policy, { shouldValidate: true })}
            />
          )}
          {problems.policy && <p className="text-red">{problems.policy.message}</p>}
          <GroupPicker
            label="Include"
            help="Devices in one of these groups"
            everything
            value={values.include}
            onChange={pick("include")}
            problem={problems.include?.message}
          />
          <GroupPicker
            label="Within"
            help="and in every one of these"
            value={values.within}
            onChange={pick("within")}
          />
          <GroupPicker label="Exclude" help="and in none of these" value={values.exclude} onChange={pick("exclude")} />
          <div className="w-52">
            <TextField
              quiet
              label="Rank, 1 (strongest) to 9999"
              inputMode="numeric"
              className="font-mono"
              problem={problems.rank?.message}
              {...form.register("rank")}
            />
          </div>
          <Choices
            label="Stance"
            value={values.stance}
            choices={[
              { value: "enforce", label: "Enforce" },
              { value: "trial", label: "On trial" },
            ]}
            onChange={(stance) => form.setValue("stance", stance)}
          />
          <p className="text-second">
            {values.stance === "trial"
              ? "Nothing is changed on devices; what would differ is shown."
              : "Devices are brought into line."}
          </p>
          <Button primary type="submit" disabled={adding.busy}>
            {policy ? "Add the assignment to the change" : "Add to the change"}
          </Button>
          {adding.error && <Trouble error={adding.error} />}
        </form>
      </Aside>
      {still && (
        <Aside title={drafted.length > 0 ? "What this does with the draft change" : "What this does"}>
          <div aria-live="polite" className={preview.isFetching ? "opacity-60" : ""}>
            {preview.error && <Trouble error={preview.error} />}
            {preview.data && <PreviewSums preview={preview.data} />}
          </div>
        </Aside>
      )}
      {adding.dialog}
    </>
  );
}

function editFrom(given: z.output<typeof shape>, version: number): ChangeEdit {
  const { name, ...assignment } = given;
  return { kind: "assign", name, based_on: version, assignment };
}
