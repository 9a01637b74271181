import type { Finding } from "@/api/types";

/** Kinds of findings, in a few words. */
export const kinds: Record<string, string> = {
  wrong_value: "different value",
  account_missing: "account missing",
  account_present: "account should be absent",
  account_state: "account enabled or disabled",
  account_name: "different account name",
  account_detail: "different account details",
  rotation_never: "password never rotated",
  rotation_overdue: "password overdue",
  changed_elsewhere: "password changed elsewhere",
  member_missing: "member missing",
  member_extra: "extra member",
  member_forbidden: "forbidden member",
  group_missing: "local group missing",
  group_no_effect: "members without their rights",
  number_shared: "two accounts of one number",
  sign_in_broken: "signing in does not work",
  unit_unsupported: "not supported",
  apply_failed: "change failed",
  account_counted: "account no policy names",
  account_unnamed: "account no policy names, grace over",
  account_left_behind: "account left behind",
  warrant_outlived: "member by a warrant that is over",
  name_in_use: "name in use",
};

/** What nobody can put right on the device: it is listed apart, and not in red. */
export const cannot = (of: { kind: string }) => of.kind === "unit_unsupported";

/** Findings of one device and setting: one row, that opens. */
export type Row = { id: string; first: Finding; all: Finding[] };

/** Findings in rows of one device and setting each, in the order in which they come. */
export function rowsOf(findings: Finding[]): Row[] {
  const rows = new Map<string, Row>();
  for (const f of findings) {
    const id = `${f.device_id} ${f.unit}`;
    const row = rows.get(id);
    if (row) row.all.push(f);
    else rows.set(id, { id, first: f, all: [f] });
  }
  return [...rows.values()];
}
