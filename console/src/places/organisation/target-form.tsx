import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Controller, useForm } from "react-hook-form";
import { organisation, setUp, type Target, type TargetSpec } from "@/api/organisation";
import type { Schemas } from "@/api/types";
import { Button } from "@/ui/button";
import { Select, TextArea, TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { z } from "@/ui/zod";
import { eventKinds } from "./event-kinds";

const shape = z.object({
  name: z.string().trim().min(1, "Give it a name."),
  kind: z.enum(["webhook", "syslog", "mail"]),
  address: z.string().trim().min(1, "Say where it goes."),
  events: z.array(z.string()).min(1, "Choose at least one."),
  groups: z.string(),
  from: z.string(),
  to: z.string(),
  user: z.string(),
  password: z.string(),
  ca: z.string(),
});
type Given = z.output<typeof shape>;

const examples: Record<Given["kind"], string> = {
  webhook: "https://desk.skerryline.example/warden",
  syslog: "tls://logs.skerryline.example:6514",
  mail: "smtp://mail.skerryline.example:587",
};

const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);

const spec = (given: Given, enabled: boolean): TargetSpec => ({
  kind: given.kind,
  address: given.address,
  events: given.events,
  groups: words(given.groups),
  enabled,
  from: given.from,
  to: words(given.to),
  user: given.user,
  ...(given.password ? { password: given.password } : {}),
  ca: given.ca,
});

/** A notification target: a new one, or one to edit. */
export function TargetForm({
  of,
  saved,
}: {
  of: Target | undefined;
  saved: (t: Schemas["NewNotificationTarget"]) => void;
}) {
  const queries = useQueryClient();
  const form = useForm({
    resolver: zodResolver(shape),
    defaultValues: {
      name: of?.name ?? "",
      kind: of?.kind ?? "webhook",
      address: of?.address ?? "",
      events: of?.events ?? [
        "rollout_stopped",
        "edit_braked",
        "administrators_altered",
        "approval_asked",
        "database_returned",
        "service_frozen",
        "sealed_owner_used",
        "trail_broken",
      ],
      groups: of?.groups.join(" ") ?? "",
      from: of?.from ?? "",
      to: of?.to.join(" ") ?? "",
      user: of?.user ?? "",
      password: "",
      ca: of?.ca ?? "",
    },
  });
  const saving = useMutation({
    mutationFn: (given: Given) =>
      of
        ? setUp.editTarget(of.name, of.version, spec(given, of.enabled))
        : setUp.createTarget({ name: given.name, ...spec(given, true) }),
    onSuccess: (t) => {
      queries.invalidateQueries({ queryKey: organisation.targets().queryKey });
      saved(t);
    },
    gcTime: 0, // a password is kept nowhere
  });
  const kind = form.watch("kind");
  const problems = form.formState.errors;
  return (
    <form onSubmit={form.handleSubmit((given) => saving.mutate(given))} noValidate className="space-y-2">
      {!of && (
        <>
          <TextField quiet label="Name" problem={problems.name?.message} {...form.register("name")} />
          <Controller
            control={form.control}
            name="kind"
            render={({ field }) => (
              <Select
                label="Kind"
                value={field.value}
                onChange={field.onChange}
                options={[
                  { value: "webhook", label: "webhook (CloudEvents)" },
                  { value: "syslog", label: "syslog" },
                  { value: "mail", label: "mail" },
                ]}
              />
            )}
          />
        </>
      )}
      <TextField
        quiet
        label="Address"
        placeholder={examples[kind]}
        className="font-mono"
        problem={problems.address?.message}
        {...form.register("address")}
      />
      {kind === "mail" && (
        <>
          <TextField quiet label="From" placeholder="warden@skerryline.example" {...form.register("from")} />
          <TextField quiet label="To" placeholder="desk@skerryline.example" {...form.register("to")} />
          <TextField quiet label="Name at the mail server" autoComplete="off" {...form.register("user")} />
          <TextField
            quiet
            label={of?.has_password ? "Password there (the stored one stays when empty)" : "Password there"}
            type="password"
            autoComplete="new-password"
            {...form.register("password")}
          />
        </>
      )}
      <fieldset>
        <legend className="text-second">Tell it when</legend>
        <Controller
          control={form.control}
          name="events"
          render={({ field }) => (
            <div className="grid gap-y-0.5">
              {eventKinds.map((e) => (
                <label key={e.kind} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-brass"
                    checked={field.value.includes(e.kind)}
                    onChange={(event) =>
                      field.onChange(
                        event.target.checked ? [...field.value, e.kind] : field.value.filter((k) => k !== e.kind),
                      )
                    }
                  />
                  {e.words}
                </label>
              ))}
            </div>
          )}
        />
        {problems.events && (
          <p role="alert" className="text-red">
            {problems.events.message}
          </p>
        )}
      </fieldset>
      <TextField
        quiet
        label="Only of devices in these groups"
        placeholder="every device"
        className="font-mono"
        {...form.register("groups")}
      />
      <details>
        <summary className="cursor-pointer text-second">Certificates to trust</summary>
        <TextArea
          quiet
          label="In PEM, instead of the system's"
          rows={4}
          className="font-mono text-sm"
          {...form.register("ca")}
        />
      </details>
      {saving.error && <Trouble error={saving.error} />}
      <Button primary type="submit" disabled={saving.isPending}>
        {of ? "Save" : "Create target"}
      </Button>
    </form>
  );
}
