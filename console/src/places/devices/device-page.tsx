import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { Refusal } from "@/api/client";
import { read } from "@/api/queries";
import { useRights } from "@/api/rights";
import type { Device } from "@/api/types";
import { StandingBadge } from "@/domain/standing";
import { ago, clock, stamp, useNow } from "@/domain/time";
import { Waive } from "@/domain/waive";
import { Button } from "@/ui/button";
import { useFilters } from "@/ui/filters";
import { Loading, NotThere, PageHead, sentence, Trouble } from "@/ui/page";
import { Problems } from "./device-problems";
import { Reaching, Reported } from "./device-reported";
import { Units } from "./device-units";
import { EndOfLife } from "./end-of-life";
import { Orders } from "./orders";
import { DevicePasswords } from "./passwords";
import { Happened, History, Locked } from "./story";

/** One device on one screen: its standing, and desired, reported and decided by for every setting. */
export function DevicePage() {
  const { name = "" } = useParams();
  const [params, set] = useFilters();
  const now = useNow();
  const may = useRights();
  const at = params.get("at") ?? ""; // as the field has it, in local time
  const present = useQuery({ ...read.device(name), enabled: at === "" });
  const past = useQuery({ ...read.deviceAt(name, instant(at)), enabled: at !== "" });
  const why = at === "" ? present : past;
  const then = <Then at={at} choose={(at) => set({ at })} />;
  if (why.isPending) return <Loading />;
  if (!why.data) {
    const gone = why.error instanceof Refusal && why.error.status === 404;
    return (
      <>
        {then}
        {gone ? (
          <NotThere what={sentence(why.error?.message ?? "")} to={`/devices?search=${encodeURIComponent(name)}`}>
            Search devices for {name}
          </NotThere>
        ) : (
          <Trouble error={why.error as Error} />
        )}
      </>
    );
  }
  const { device, units } = why.data;
  const open = device.open_findings;
  const waivable = why.data.history.filter((f) => f.state === "open" && f.kind !== "unit_unsupported");
  return (
    <>
      {why.error && <Trouble error={why.error} />}
      <PageHead
        tab={device.name}
        title={
          <span className="flex items-center gap-3">
            <span className="font-mono">{device.name}</span>
            <span className="text-base">
              {device.state === "retired" ? (
                <span className="font-semibold text-second">○ retired</span>
              ) : (
                <StandingBadge
                  standing={device.standing}
                  detail={open ? `${open} finding${open === 1 ? "" : "s"}` : undefined}
                />
              )}
            </span>
          </span>
        }
        note={[
          device.model,
          device.path,
          device.primary_user && `used by ${device.primary_user}${device.primary_user_learned ? " (learned)" : ""}`,
          device.tags.join(", "),
          osOf(device),
          device.agent_version && `agent ${device.agent_version}`,
          ...(at ? wasSaid(device, now) : isSaid(device, now)),
        ]
          .filter(Boolean)
          .join(" · ")}
      >
        {then}
        {!at && may("deploy") && waivable.length > 0 && <Waive findings={waivable} />}
      </PageHead>
      {why.data.notes.map((note) => (
        <p key={note} role="status" className="mb-3 border-l-4 border-held bg-held-wash px-4 py-2">
          {note}
        </p>
      ))}
      {at && (
        <p role="status" className="mb-3 border-l-4 border-waiting bg-waiting-wash px-4 py-2">
          This is {device.name} as it was at {stamp(at)}: what it was to have, what it had reported by then, and which
          assignments decided.
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_336px] gap-7 max-[900px]:grid-cols-1">
        <div>
          <Problems why={why.data} />
          <Units units={units} />
        </div>
        <div>
          {!at && <Locked why={why.data} />}
          {!at && <DevicePasswords device={device.name} />}
          <Happened why={why.data} />
          <History why={why.data} />
          {!at && <Orders why={why.data} />}
          <Reported why={why.data} />
          <Reaching why={why.data} />
          {!at && <EndOfLife device={device} />}
        </div>
      </div>
    </>
  );
}

const isSaid = (device: Device, now: number) => [
  `last contact ${ago(device.last_contact, now)}`,
  device.verified_at
    ? `desired state ${device.desired}, verified ${clock(device.verified_at, now)}`
    : device.reported_at && device.desired === device.reported
      ? `desired state ${device.desired}, reported back ${clock(device.reported_at, now)}, not verified`
      : `desired state ${device.desired}, not reported back yet`,
  device.name_refused && `the workstation is called ${device.name_refused}, a name that another device has or keeps`,
];

const wasSaid = (device: Device, now: number) => [
  device.desired_at && `desired state ${device.desired} of ${clock(device.desired_at, now)}`,
  device.reported_at ? `reported ${clock(device.reported_at, now)}` : "nothing reported by then",
];

/** A local time of the field, as an instant. */
const instant = (at: string) => (Number.isNaN(Date.parse(at)) ? at : new Date(at).toISOString());

/** Chooses the time at which a device is looked at. */
function Then({ at, choose }: { at: string; choose: (at: string) => void }) {
  return (
    <span className="flex items-center gap-2">
      <label className="flex items-center gap-2 text-second">
        As it was at
        <input
          type="datetime-local"
          value={at}
          onChange={(event) => choose(event.target.value)}
          className="rounded-sm border border-second bg-sheet px-2 py-1 text-ink"
        />
      </label>
      {at && <Button onClick={() => choose("")}>Back to now</Button>}
    </span>
  );
}

/** Its operating system: the build where one tells more than the version, as on Windows. */
function osOf(device: { platform: string; os_version: string; os_build: number }) {
  if (device.platform !== "windows") return `${device.platform}, ${device.os_version}`;
  return device.os_build ? `${device.platform} build ${device.os_build}` : `${device.platform}, unknown build`;
}
