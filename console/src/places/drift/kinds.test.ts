import { expect, it } from "vitest";
import type { Finding } from "@/api/types";
import { rowsOf } from "./kinds";

const finding = (id: number, device_id: string, unit: string) => ({ id, device_id, unit }) as Finding;

it("puts findings of one device and setting into one row, in the order in which they come", () => {
  const rows = rowsOf([
    finding(1, "D1", "lockout"),
    finding(2, "D2", "lockout"),
    finding(3, "D1", "lockout"),
    finding(4, "D1", "passwords"),
  ]);
  expect(rows.map((r) => r.all.map((f) => f.id))).toEqual([[1, 3], [2], [4]]);
  expect(rows[0]?.first.id).toBe(1);
});
