import { zodResolver } from "@hookform/resolvers/zod";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useForm } from "react-hook-form";
import { read } from "@/api/queries";
import type { Group } from "@/api/types";
import { useAddEdit } from "@/changes/use-add-edit";
import { useStill } from "@/domain/still";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Aside, Trouble } from "@/ui/page";
import { z } from "@/ui/zod";

const facts = "name, platform, os_version, os_build, model, serial, path, tags, primary_user, user_groups";

const ruled = z.object({
  group: z.string().trim().min(1, "Give the group a name."),
  rule: z.string().trim().min(1, "Write a rule."),
});

/** A group by rule: a new one, or another rule for one. Says for whom it would hold while one types. */
export function RuleForm({ group }: { group: Group | undefined }) {
  const [base, setBase] = useState(group); // the group as it was when one began to type
  const form = useForm({
    resolver: zodResolver(ruled),
    defaultValues: { group: group?.name ?? "", rule: group?.rule ?? "" },
  });
  const [name, rule] = form.watch(["group", "rule"]);
  const moved = group !== undefined && base !== undefined && group.version !== base.version;
  const untouched = moved && (rule === base.rule || rule === group.rule);
  const { setValue } = form;
  useEffect(() => {
    if (!untouched || !group) return;
    setBase(group);
    setValue("rule", group.rule);
  }, [untouched, group, setValue]);
  const adding = useAddEdit();
  const still = useStill(rule.trim());
  const tried = useQuery({ ...read.ruleTrial(still), placeholderData: keepPreviousData });
  const submit = (given: z.infer<typeof ruled>) =>
    adding.add([
      {
        kind: "group",
        name: given.group,
        based_on: (base ?? group)?.version ?? 0,
        group: { rule: given.rule, ...(group?.description && { description: group.description }) },
      },
    ]);
  const error = adding.error ?? (still ? tried.error : null);
  const problems = form.formState.errors;
  return (
    <Aside title={group ? `Rule of ${group.name}` : "New group by rule"}>
      <form onSubmit={form.handleSubmit(submit)} noValidate className="space-y-2">
        {!group && (
          <TextField
            quiet
            label="Name"
            className="font-mono"
            problem={problems.group?.message}
            {...form.register("group")}
          />
        )}
        <TextArea
          quiet
          label={`Rule, over device. ${facts}`}
          rows={3}
          placeholder={'"kiosk" in device.tags && device.os_build >= 22631'}
          className="font-mono text-sm"
          problem={problems.rule?.message}
          {...form.register("rule")}
        />
        {moved && !untouched && (
          <div role="alert" className="border-l-4 border-brass bg-sheet px-3 py-2">
            <p>
              Somebody else changed this rule to <code className="font-mono break-words">{group.rule}</code> while you
              were typing.
            </p>
            <div className="mt-2 flex gap-2">
              <Button onClick={() => setBase(group)}>Keep my changes</Button>
              <Button onClick={() => setValue("rule", group.rule)}>Use their version</Button>
            </div>
          </div>
        )}
        <Button
          primary
          type="submit"
          disabled={!rule || !name || adding.busy || rule === group?.rule || (still !== "" && tried.isError)}
        >
          Add to the change
        </Button>
      </form>
      {error && <Trouble error={error} />}
      {still && tried.data && !tried.error && (
        <p role="status" className={`mt-2 ${tried.isFetching ? "opacity-60" : ""}`}>
          Matches <b>{tried.data.holds}</b> {tried.data.holds === 1 ? "device" : "devices"}
          {tried.data.examples.length > 0 && `, for example ${tried.data.examples.slice(0, 3).join(", ")}`}.
          {tried.data.unknown > 0 && (
            <span className="text-held">
              {" "}
              Unknown for {tried.data.unknown}: a fact is not reported yet, so their settings are held until then.
            </span>
          )}
        </p>
      )}
      {adding.dialog}
    </Aside>
  );
}
