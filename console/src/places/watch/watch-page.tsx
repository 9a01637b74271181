import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import { StandingBar, StandingCounts } from "@/domain/standing";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { Decisions } from "./decisions";
import { LastDay } from "./last-day";
import { OverDays } from "./over-days";
import { ServiceNotes } from "./service-notes";
import { Strips } from "./strips";
import { UnderWay } from "./under-way";
import { Versions } from "./versions";

/** The fleet now: how it stands, what needs a decision, what changed in the last day. */
export function WatchPage() {
  const may = useRights();
  const watch = useQuery(read.watch());
  if (watch.isPending) return <Loading />;
  if (!watch.data) return <Trouble error={watch.error as Error} />;
  const fleet = watch.data;
  const waiting = fleet.online - fleet.online_verified;
  return (
    <>
      {watch.error && <Trouble error={watch.error} />}
      <PageHead
        tab="Watch"
        title={`${fleet.devices} devices, ${fleet.online} online`}
        note={
          fleet.unsettled > 0
            ? "A change is still being settled for its devices."
            : waiting === 0
              ? fleet.standings.held > 0
                ? `All online devices are verified; ${fleet.standings.held === 1 ? "1 device has" : `${fleet.standings.held} devices have`} held settings that need a decision.`
                : "All online devices are verified against their latest desired state."
              : `${waiting} online ${waiting === 1 ? "device has" : "devices have"} not reported on their latest desired state yet.`
        }
      >
        <Link to="/report" className="font-semibold text-brass">
          Posture report
        </Link>
      </PageHead>
      <ServiceNotes fleet={fleet} />
      <StandingBar standings={fleet.standings} />
      <div className="mt-2 mb-6">
        <StandingCounts standings={fleet.standings} to={(s) => `/devices?standing=${s}`} />
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(340px,28%)] gap-8">
        <div>
          <Strips fleet={fleet} />
          <Versions fleet={fleet} />
        </div>
        <div>
          <UnderWay fleet={fleet} />
          <Decisions fleet={fleet} mayDecide={may("deploy")} />
          <OverDays />
          <LastDay fleet={fleet} />
        </div>
      </div>
    </>
  );
}
