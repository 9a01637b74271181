import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { organisation, setUp, type Token } from "@/api/organisation";
import { usePages } from "@/api/pages";
import { ago, soon, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { TextButton } from "@/ui/button";
import { PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { OrganisationParts } from "./parts";

const reach = (of: Token) =>
  of.roles.map((r) => (r.groups.length > 0 ? `${r.role} on ${r.groups.join(", ")}` : r.role)).join("; ");

/** Everybody's API tokens: whose, for what, until when. */
export function TokensPage() {
  const now = useNow();
  const queries = useQueryClient();
  const tokens = usePages(organisation.tokens());
  const [asked, setAsked] = useState<Token>();
  const revoking = useMutation({
    mutationFn: (id: string) => setUp.revokeToken(id),
    onSuccess: () => queries.invalidateQueries({ queryKey: organisation.tokens().key }),
  });
  const over = (t: Token) => t.revoked || Date.parse(t.expires_at) < now;
  const columns: Column<Token>[] = [
    { title: "Of", width: "minmax(120px,0.8fr)", sort: (t) => t.operator, cell: (t) => t.operator },
    { title: "For", width: "minmax(140px,1.2fr)", sort: (t) => t.name, cell: (t) => t.name },
    { title: "May do what", width: "minmax(140px,1fr)", cell: reach },
    { title: "Created", width: "130px", sort: (t) => t.created_at, cell: (t) => ago(t.created_at, now) },
    {
      title: "Ends",
      width: "110px",
      sort: (t) => t.expires_at,
      cell: (t) =>
        t.revoked ? "revoked" : over(t) ? <span className="text-second">ended</span> : soon(t.expires_at, now),
    },
    {
      title: "Revoke",
      width: "80px",
      right: true,
      cell: (t) =>
        !over(t) && (
          <TextButton onClick={() => setAsked(t)}>
            Revoke
            <span className="sr-only">
              {" "}
              {t.name} of {t.operator}
            </span>
          </TextButton>
        ),
    },
  ];
  return (
    <>
      <PageHead
        tab="API tokens"
        title="API tokens"
        note="API tokens of everybody: programs that act for a person, with that person's rights or fewer, until a day."
      />
      <OrganisationParts />
      {revoking.error && <Trouble error={revoking.error} />}
      <PagedRows
        list={tokens}
        empty="No API tokens. The command makes one when somebody signs in with it."
        label="API tokens"
        columns={columns}
        id={(t) => t.id}
      />
      <Ask
        open={asked !== undefined}
        title={`Revoke ${asked?.name} of ${asked?.operator}?`}
        yes="Revoke it"
        onYes={() => asked && revoking.mutate(asked.id)}
        onNo={() => setAsked(undefined)}
      >
        The program that uses it is refused from now on.
      </Ask>
    </>
  );
}
