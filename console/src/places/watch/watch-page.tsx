import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { Link } from "react-router";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Overview } from "@/api/types";
import { StandingBar, StandingCounts } from "@/domain/standing";
import { Loading, PageHead, Trouble } from "@/ui/page";
import { Decisions } from "./decisions";
import { LastDay } from "./last-day";
import { OverDays } from "./over-days";
import { ServiceNotes } from "./service-notes";
import { Strips } from "./strips";
import { UnderWay } from "./under-way";
import { Versions } from "./versions";
import { WarrantsNow } from "./warrants-now";

/** The fleet now: how it stands, what needs a decision, what changed in the last day. */
export function WatchPage() {
  const may = useRights();
  const watch = useQuery(read.watch());
  const changes = useQuery(read.openChanges());
  const brakes = useQuery(read.brakes());
  // What needs a decision stands above the rest: it is known before anything is drawn, so that nothing moves. What failed
  // is not waited for again.
  const [drawn, draw] = useState(false);
  const known = !watch.isPending && !changes.isPending && !brakes.isPending;
  useEffect(() => {
    if (known) draw(true);
  }, [known]);
  const rest = useDeferredValue(known || drawn, false); // drawn piece by piece, without holding the page up
  if (watch.isPending || !(known || drawn)) return <Loading />;
  if (!watch.data) return <Trouble error={watch.error as Error} />;
  const fleet = watch.data;
  return (
    <>
      {watch.error && <Trouble error={watch.error} />}
      <PageHead
        tab="Watch"
        title={`${fleet.devices} devices, ${fleet.online} online`}
        note={fleet.unsettled > 0 ? "A change is still being settled for its devices." : reportedBack(fleet)}
      >
        <Link to="/report" className="font-semibold text-brass">
          Posture report
        </Link>
      </PageHead>
      <ServiceNotes fleet={fleet} />
      <div data-tour="standings" className="mb-6">
        <StandingBar standings={fleet.standings} />
        <div className="mt-2">
          <StandingCounts standings={fleet.standings} to={(s) => `/devices?standing=${s}`} />
        </div>
      </div>
      <Decisions
        fleet={fleet}
        changes={changes.data?.items ?? []}
        held={brakes.data?.items ?? []}
        mayDecide={may("deploy")}
      />
      {rest && (
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(340px,28%)] gap-8 max-[900px]:grid-cols-1">
          <div>
            <Strips fleet={fleet} />
            <Versions fleet={fleet} />
          </div>
          <div>
            <UnderWay fleet={fleet} />
            <WarrantsNow />
            <OverDays />
            <LastDay fleet={fleet} />
          </div>
        </div>
      )}
    </>
  );
}

/** How far the online devices are with what is asked of them now. */
export function reportedBack(fleet: Pick<Overview, "online" | "online_reported" | "online_verified" | "standings">) {
  const waiting = fleet.online - fleet.online_reported;
  if (waiting > 0) return `${waiting} online ${waiting === 1 ? "device has" : "devices have"} not reported back yet.`;
  const differ = fleet.online - fleet.online_verified;
  const held =
    fleet.standings.held > 0 &&
    `${fleet.standings.held === 1 ? "1 device has" : `${fleet.standings.held} devices have`} held settings that need a decision`;
  if (differ > 0)
    return `All online devices have reported back; on ${differ} something differs or failed${held ? `, and ${held}` : ""}.`;
  return held ? `All online devices are verified; ${held}.` : "All online devices are verified.";
}
