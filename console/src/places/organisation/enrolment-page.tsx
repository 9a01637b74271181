import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { change } from "@/api/changes";
import { usePages } from "@/api/pages";
import { list } from "@/api/queries";
import type { EnrolmentToken, Schemas } from "@/api/types";
import { ago, soon, useNow } from "@/domain/time";
import { Ask } from "@/ui/ask";
import { Button, TextButton } from "@/ui/button";
import { TextField } from "@/ui/field";
import { Aside, PageHead, Trouble } from "@/ui/page";
import { PagedRows } from "@/ui/paged-rows";
import type { Column } from "@/ui/rows";
import { z } from "@/ui/zod";
import { OrganisationParts } from "./parts";

/** Tokens with which devices enrol: how many may still, until when, and what they get. */
export function EnrolmentPage() {
  const now = useNow();
  const queries = useQueryClient();
  const tokens = usePages(list.enrolmentTokens());
  const [made, setMade] = useState<Schemas["NewEnrolmentToken"] | null>(null);
  const [asked, setAsked] = useState<EnrolmentToken | null>(null);
  const again = () => queries.invalidateQueries({ queryKey: list.enrolmentTokens().key });
  const revoking = useMutation({ mutationFn: (id: string) => change.revokeEnrolment(id), onSuccess: again });
  const columns: Column<EnrolmentToken>[] = [
    {
      title: "For",
      sort: (t) => t.note,
      width: "minmax(120px,1fr)",
      cell: (t) => t.note || <span className="text-second">no note</span>,
    },
    { title: "Uses left", sort: (t) => t.uses_left, width: "80px", right: true, cell: (t) => t.uses_left },
    {
      title: "Ends",
      sort: (t) => t.expires_at,
      width: "96px",
      cell: (t) => (t.revoked ? "revoked" : Date.parse(t.expires_at) < now ? "ended" : soon(t.expires_at, now)),
    },
    {
      title: "Devices get",
      width: "minmax(150px,1.2fr)",
      cell: (t) => (
        <>
          {t.groups.length > 0 && <span className="block">groups {t.groups.join(", ")}</span>}
          {t.path && <span className="block">path {t.path}</span>}
          {t.tags.length > 0 && <span className="block">tags {t.tags.join(", ")}</span>}
        </>
      ),
    },
    {
      title: "Created",
      sort: (t) => t.created_at,
      width: "130px",
      cell: (t) => `${ago(t.created_at, now)}, ${t.created_by}`,
    },
    {
      title: "Revoke",
      width: "76px",
      right: true,
      cell: (t) =>
        !t.revoked &&
        t.uses_left > 0 &&
        Date.parse(t.expires_at) > now && (
          <TextButton onClick={() => setAsked(t)}>
            Revoke<span className="sr-only"> {t.note}</span>
          </TextButton>
        ),
    },
  ];
  return (
    <>
      <PageHead
        tab="Enrolment"
        title="Enrolment"
        note="Enrolment tokens let new devices in, a number of times and until a day."
      />
      <OrganisationParts />
      {revoking.error && <Trouble error={revoking.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-7 max-[900px]:grid-cols-1">
        <div>
          {made && <Shown token={made} close={() => setMade(null)} />}
          <PagedRows
            list={tokens}
            empty="No enrolment tokens yet. Create one with the form."
            label="Enrolment tokens"
            narrow
            columns={columns}
            id={(t) => t.id}
          />
        </div>
        <TokenForm
          made={(token) => {
            setMade(token);
            again();
          }}
        />
      </div>
      <Ask
        open={asked !== null}
        title="Revoke this token?"
        yes="Revoke it"
        onYes={() => asked && revoking.mutate(asked.id)}
        onNo={() => setAsked(null)}
      >
        No device can enrol with it any more. Devices that did stay.
      </Ask>
    </>
  );
}

const shape = z.object({
  note: z.string(),
  uses: z.coerce.number<string>().int("A whole number.").min(1, "At least 1.").max(100_000, "At most 100,000."),
  expires_in_hours: z.coerce
    .number<string>()
    .int("A whole number.")
    .min(1, "At least 1.")
    .max(2160, "At most 2160, that is 90 days."),
  groups: z.string(),
  path: z.string(),
  tags: z.string(),
});

const words = (text: string) => text.split(/[\s,]+/).filter(Boolean);

function TokenForm({ made }: { made: (token: Schemas["NewEnrolmentToken"]) => void }) {
  const form = useForm({
    resolver: zodResolver(shape),
    defaultValues: { note: "", uses: "10", expires_in_hours: "24", groups: "", path: "", tags: "" },
  });
  const creating = useMutation({
    mutationFn: (given: z.output<typeof shape>) =>
      change.createEnrolment({ ...given, groups: words(given.groups), tags: words(given.tags) }),
    onSuccess: made,
  });
  const problems = form.formState.errors;
  return (
    <Aside title="New token">
      <form onSubmit={form.handleSubmit((given) => creating.mutate(given))} noValidate className="space-y-2">
        <TextField quiet label="What it is for" {...form.register("note")} />
        <TextField
          quiet
          label="Devices that may enrol"
          inputMode="numeric"
          problem={problems.uses?.message}
          {...form.register("uses")}
        />
        <TextField
          quiet
          label="Hours until it ends"
          inputMode="numeric"
          problem={problems.expires_in_hours?.message}
          {...form.register("expires_in_hours")}
        />
        <TextField
          quiet
          label="Groups that devices join"
          placeholder="ticket-desks"
          className="font-mono"
          {...form.register("groups")}
        />
        <TextField
          quiet
          label="Path"
          placeholder="north/kirkness/desk"
          className="font-mono"
          {...form.register("path")}
        />
        <TextField quiet label="Tags" placeholder="kiosk" className="font-mono" {...form.register("tags")} />
        <Button primary type="submit" disabled={creating.isPending}>
          Create token
        </Button>
        {creating.error && <Trouble error={creating.error} />}
      </form>
    </Aside>
  );
}

/** What one pastes on a workstation, by its platform: as root with the package installed, and as an administrator beside the installer package. */
const lines = (token: string, url: string) => [
  {
    platform: "Linux",
    before: "With the package rankwarden-agent installed",
    text: `sudo install -D -m 600 /dev/stdin /etc/rankwarden/token <<'END'\n${token}\nEND\nsudo rankwarden-agent set-up --service ${url} --token-file /etc/rankwarden/token`,
  },
  {
    platform: "Windows",
    before: "In PowerShell as an administrator, where the file rankwarden-agent.msi is",
    text: `Set-Content "$env:TEMP\\token" '${token}'\nmsiexec /i rankwarden-agent.msi /qn SERVICE=${url} TOKENFILE="$env:TEMP\\token"`,
  },
];

/** A new token, shown this once, as what one pastes on a workstation. */
function Shown({ token, close }: { token: Schemas["NewEnrolmentToken"]; close: () => void }) {
  const [copied, setCopied] = useState("");
  return (
    <section aria-label="New token" className="mb-5 border-l-4 border-brass bg-sheet px-4 py-3">
      <p className="mb-1 font-semibold">The token is shown this once. Paste this on each workstation:</p>
      {lines(token.token, location.origin).map(({ platform, before, text }) => (
        <div key={platform} className="mt-3">
          <div className="flex items-baseline justify-between gap-4">
            <p>
              <span className="font-semibold">{platform}</span> <span className="text-second">{before}</span>
            </p>
            <Button
              aria-label={`Copy for ${platform}`}
              onClick={async () => {
                await navigator.clipboard.writeText(text);
                setCopied(platform);
              }}
            >
              {copied === platform ? "Copied" : "Copy"}
            </Button>
          </div>
          <pre
            className="mt-1 overflow-auto border border-hairline bg-paper p-2 font-mono text-sm break-all whitespace-pre-wrap"
            data-secret
          >
            {text}
          </pre>
        </div>
      ))}
      <div className="mt-3">
        <Button primary onClick={close}>
          I have it
        </Button>
      </div>
    </section>
  );
}
