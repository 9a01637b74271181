import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type Posture, posture, postureFile } from "@/api/posture";
import { read } from "@/api/queries";
import { counted } from "@/domain/count";
import { GroupFilter } from "@/domain/group-filter";
import { Table, TableSection } from "@/domain/paper";
import { looks, order, total } from "@/domain/standing";
import { dayOf, stamp } from "@/domain/time";
import { Button } from "@/ui/button";
import { Select } from "@/ui/field";
import { useFilters } from "@/ui/filters";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { StandingsPlot, VerifiedPlot } from "./plots";

const periods = [7, 30, 90, 365];

const date = dayOf;

/** How a group stood over a period, as a page to print. */
export function ReportPage() {
  const [params, set] = useFilters();
  const group = params.get("group") ?? "";
  const days = Number(params.get("days")) || 30;
  const report = useQuery(posture(group, days));
  const session = useQuery(read.session());
  return (
    <>
      <PageHead tab="Report" title="Posture report" note="How devices stood over a period. Watch shows them now.">
        <div className="flex items-center gap-3 print:hidden">
          <GroupFilter value={group} onChange={(value) => set({ group: value })} />
          <Select
            label="Period"
            value={String(days)}
            onChange={(value) => set({ days: value })}
            options={periods.map((n) => ({ value: String(n), label: `${n} days` }))}
          />
          <a className="font-semibold text-brass" href={postureFile("csv", group, days)}>
            CSV
          </a>
          <a className="font-semibold text-brass" href={postureFile("json", group, days)} download="posture.json">
            JSON
          </a>
          <Button primary onClick={() => print()}>
            Print
          </Button>
        </div>
      </PageHead>
      {report.error && <Trouble error={report.error} />}
      {report.isPending && <Loading />}
      {report.data && <Report of={report.data} organisation={session.data?.organisation ?? ""} />}
    </>
  );
}

function Report({ of, organisation }: { of: Posture; organisation: string }) {
  const devices = total(of.standings);
  return (
    <article>
      <p className="mb-4">
        <span className="font-semibold">
          {organisation}, {of.group ? `the group ${of.group}` : "every device in reach"}, {date(of.since)} to{" "}
          {date(of.until)}.
        </span>{" "}
        {counted(devices)} devices now:{" "}
        {order
          .filter((s) => of.standings[s] > 0)
          .map((s) => `${counted(of.standings[s])} ${looks[s].word}`)
          .join(", ")}
        . Of those not silent, {of.in_step_percent.toFixed(1)} % are in step. Made {stamp(of.made_at)}.
      </p>
      <div className="grid grid-cols-2 gap-10">
        <TableSection title="Standings over time">
          <StandingsPlot days={of.days} />
        </TableSection>
        <TableSection title="Time to verified">
          <VerifiedPlot days={of.verified} />
        </TableSection>
      </div>
      <TableSection title="Findings by setting">
        <Table
          empty="No findings."
          head={[
            "Setting",
            "Decided by",
            "Opened",
            "Corrected by devices",
            "Closed",
            "Open at the end",
            "Waived",
            "Devices",
          ]}
          numbersFrom={2}
          rows={of.findings.map((f) => ({
            key: `${f.unit} ${f.assignments}`,
            cells: [
              f.unit_title || f.unit,
              f.assignments.join(", "),
              f.opened,
              f.corrected,
              f.closed,
              <span key="open" className={f.open > 0 ? "font-semibold text-red" : ""}>
                {f.open}
              </span>,
              f.waived,
              f.devices,
            ],
          }))}
        />
      </TableSection>
      <TableSection title={`Passwords overdue: ${counted(of.passwords_overdue.total)}`}>
        <Table
          empty="● No password is overdue."
          more={of.passwords_overdue.total - of.passwords_overdue.items.length}
          head={["Device", "Account", "Last changed", "Due"]}
          rows={of.passwords_overdue.items.map((o) => ({
            key: `${o.device} ${o.account}`,
            cells: [o.device, o.account, date(o.changed_at), date(o.due_at)],
          }))}
        />
      </TableSection>
      <TableSection title={`Passwords viewed: ${counted(of.password_views.total)}`}>
        <Table
          empty="Nobody viewed a password."
          head={["By", "Reason", "Last", "Times", "Devices"]}
          numbersFrom={3}
          rows={of.password_views.items.map((r) => ({
            key: `${r.operator} ${r.reason}`,
            cells: [r.operator, r.reason, date(r.last), r.times, r.devices],
          }))}
        />
      </TableSection>
      <TableSection title={`Waivers: ${counted(of.waivers.total)}`}>
        <Table
          empty="Nothing was waived."
          more={of.waivers.total - of.waivers.items.length}
          head={["Device", "Finding", "Reason", "By", "Until"]}
          rows={of.waivers.items.map((w) => ({
            key: `${w.device} ${w.words} ${w.made_at}`,
            cells: [
              w.device,
              `${w.unit_title}: ${w.words}`,
              w.reason,
              approved(w.made_by, w.approved_by),
              date(w.ended_at ?? w.until),
            ],
          }))}
        />
      </TableSection>
      <TableSection title={`Warrants: ${counted(of.warrants.total)}`}>
        <Table
          empty="Nobody had a warrant."
          more={of.warrants.total - of.warrants.items.length}
          head={["Who", "Local group", "Reason", "By", "Until"]}
          rows={of.warrants.items.map((w) => ({
            key: w.id,
            cells: [
              w.principal,
              w.unit_title,
              w.reason,
              approved(w.asked_by, w.agreed_by),
              date(w.ended_at ?? w.until),
            ],
          }))}
        />
      </TableSection>
      <TableSection title={`Changes of the organisation: ${counted(of.changes.total)}`}>
        <Table
          empty="No change was applied."
          more={of.changes.total - of.changes.items.length}
          head={["Change", "Title", "Reason", "By", "State", "When"]}
          rows={of.changes.items.map((c) => ({
            key: c.name,
            cells: [
              <Link key="to" to={`/changes/${encodeURIComponent(c.name)}`} className="font-mono">
                {c.name}
              </Link>,
              c.title,
              c.reason,
              approved(c.created_by, c.approved_by),
              c.state,
              date(c.closed_at),
            ],
          }))}
        />
      </TableSection>
    </article>
  );
}

const approved = (by: string, second: string) => (second ? `${by}, approved by ${second}` : by);
