import { useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { read } from "@/api/queries";
import { PageHead } from "@/ui/page";
import { OwnPassword } from "./own-password";

/** What somebody sees whose password was given by an owner, before anything else. */
export function FirstPasswordPage({ name }: { name: string }) {
  const queries = useQueryClient();
  return (
    <div className="max-w-md">
      <PageHead
        tab="Choose your password"
        title={`Welcome, ${name}. Choose your password`}
        note="Somebody else gave you the one that you signed in with. Nobody but you should know the next."
      />
      <OwnPassword
        done={() => {
          toast.success("Your password was changed. Any other session of yours has ended.");
          queries.invalidateQueries(read.session());
        }}
      />
    </div>
  );
}
