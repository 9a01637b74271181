import type { Sheet } from "@/api/types";

/** Whether nothing on a sheet opens anything any more. */
export const isVoid = (s: Sheet) => s.state === "made" && s.valid === 0;

/** How a sheet stands, in words. */
export function standsAs(s: Sheet): string {
  if (s.state === "waiting") return "waits for a second person";
  if (s.state === "approved") return "approved; not made yet";
  if (s.state === "declined") return "declined";
  const all = s.devices.reduce((sum, d) => sum + d.passwords, 0);
  if (s.valid === 0) return "void: every password was changed";
  return s.valid === all
    ? `good: ${all} ${all === 1 ? "password" : "passwords"}`
    : `${s.valid} of ${all} passwords still good`;
}
