import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { CodeField, useCodeAsked } from "@/domain/second-factor";
import { Button } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Trouble } from "@/ui/page";
import { z } from "@/ui/zod";

const asked = z
  .object({
    password: z.string().min(1, "Enter the password that you have."),
    next: z.string().min(12, "Use 12 characters or more."),
    again: z.string(),
    code: z.string().trim(),
  })
  .refine((given) => given.next === given.again, { path: ["again"], message: "The two are not the same." })
  .refine((given) => given.next !== given.password, { path: ["next"], message: "This is the one that you have." });

/** Changes one's own password. */
export function OwnPassword({ done, leave }: { done: () => void; leave?: () => void }) {
  const form = useForm({
    resolver: zodResolver(asked),
    defaultValues: { password: "", next: "", again: "", code: "" },
  });
  const changing = useMutation({
    mutationFn: (given: z.infer<typeof asked>) =>
      change.changeOwnPassword({
        password: given.password,
        new_password: given.next,
        ...(given.code && { code: given.code }),
      }),
    onSuccess: () => {
      form.reset();
      done();
    },
    gcTime: 0, // the passwords are kept nowhere
  });
  const code = useCodeAsked(changing.error);
  const wrong = code.asked ? code.problem : changing.error?.message;
  const field = (name: "password" | "next" | "again", label: string, autoComplete: string) => (
    <TextField
      label={label}
      type="password"
      autoComplete={autoComplete}
      className="font-mono"
      problem={form.formState.errors[name]?.message}
      {...form.register(name)}
    />
  );
  return (
    <form onSubmit={form.handleSubmit((given) => changing.mutate(given))} noValidate className="space-y-3">
      {field("password", "The password that you have", "current-password")}
      {code.asked && <CodeField {...form.register("code")} />}
      {field("next", "New password, 12 characters or more", "new-password")}
      {field("again", "The new one once more", "new-password")}
      {wrong && <Trouble error={new Error(wrong) /* a wrong password is no ended session */} />}
      <div className="flex gap-2">
        <Button primary type="submit" disabled={changing.isPending}>
          Change it
        </Button>
        {leave && <Button onClick={leave}>Cancel</Button>}
      </div>
    </form>
  );
}
