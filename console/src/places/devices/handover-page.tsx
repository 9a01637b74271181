import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { read } from "@/api/queries";
import type { HandoverSheet } from "@/api/types";
import { Table, TableSection } from "@/domain/paper";
import { dayOf, stamp } from "@/domain/time";
import { Breakable } from "@/ui/breakable";
import { Button } from "@/ui/button";
import { Loading, PageHead, Trouble } from "@/ui/page";

/** What was in force on a device, who could get in and who saw which password, as a page to print. */
export function HandoverPage() {
  const { name = "" } = useParams();
  const sheet = useQuery(read.handover(name));
  return (
    <>
      <PageHead
        tab={`Handover ${sheet.data?.device ?? ""}`}
        title={sheet.data ? `Handover sheet of ${sheet.data.device}` : "Handover sheet"}
        note={
          sheet.data ? `${sheet.data.organisation}, made ${stamp(sheet.data.made_at)} by ${sheet.data.made_by}` : ""
        }
      >
        {sheet.data && (
          <div className="flex items-center gap-3 print:hidden">
            <Link to={`/devices/${name}`} className="font-semibold text-brass">
              Back to the device
            </Link>
            <a
              className="font-semibold text-brass"
              href={`/api/v1/devices/${encodeURIComponent(name)}/handover`}
              download={`handover-${sheet.data.device}.json`}
            >
              Signed JSON
            </a>
            <Button primary onClick={() => print()}>
              Print
            </Button>
          </div>
        )}
      </PageHead>
      {sheet.error && <Trouble error={sheet.error} />}
      {sheet.isPending && <Loading />}
      {sheet.data && <Sheet of={sheet.data} />}
    </>
  );
}

function Sheet({ of }: { of: HandoverSheet }) {
  return (
    <article>
      <p className="mb-4">
        <span className="font-semibold">
          {of.model || "Workstation"}, serial {of.serial || "unknown"}, {of.platform} {of.os_version}.
        </span>{" "}
        Enrolled {dayOf(of.enrolled_at)}, last heard from {of.last_contact ? stamp(of.last_contact) : "never"}.{" "}
        {of.retired &&
          `Retired ${dayOf(of.retired.at)} by ${of.retired.by}: ${of.retired.because}${of.retired.note ? `, ${of.retired.note}` : ""}. Its passwords are kept until ${dayOf(of.retired.passwords_until)}.`}
      </p>
      <TableSection title="In force">
        <Table
          empty="Nothing was asked of it."
          head={["Setting", "Desired", "Reported", "Decided by"]}
          rows={of.settings.map((s, i) => ({
            key: s.unit,
            cells: [
              <span key="what">
                {s.section !== of.settings[i - 1]?.section && (
                  <span className="block font-semibold text-second">{s.section}</span>
                )}
                {s.title}
              </span>,
              s.desired,
              <span key="is" className={s.in_step ? "" : "font-semibold text-red"}>
                {s.reported}
              </span>,
              s.from.join(", "),
            ],
          }))}
        />
      </TableSection>
      <TableSection title="Who could get in as an administrator">
        <Table
          empty="Nobody, as far as it reported."
          head={["Who", "Local group", "How", "Wanted by"]}
          rows={of.administrators.map((m) => ({
            key: `${m.local_group} ${m.sid} ${m.how}`,
            cells: [<Breakable key="who" text={m.name || m.sid} />, m.local_group, m.how, m.wanted_by.join(", ")],
          }))}
        />
      </TableSection>
      <TableSection title="Passwords in escrow">
        <Table
          empty="None."
          head={["Account", "Name", "Last rotated", "Deposits"]}
          numbersFrom={3}
          rows={of.passwords.map((p) => ({
            key: p.account,
            cells: [p.account, p.name, p.changed_at ? stamp(p.changed_at) : "never", p.deposits],
          }))}
        />
      </TableSection>
      <TableSection title="Who saw a password">
        <Table
          empty="Nobody."
          head={["When", "Who", "Account", "Why"]}
          rows={of.views.map((v) => ({
            key: `${v.at} ${v.operator} ${v.account}`,
            cells: [stamp(v.at), v.operator, v.account, v.reason],
          }))}
        />
      </TableSection>
      <p className="text-second">
        The service signed this sheet: <span className="font-mono break-all">{of.signed.slice(-86)}</span>. The signed
        JSON is proved without the service: rankwarden device verify-handover.
      </p>
    </article>
  );
}
