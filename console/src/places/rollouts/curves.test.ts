import { describe, expect, it } from "vitest";
import type { Lane } from "@/api/types";
import { verifiedWithin } from "./curves";

const lane = (devices: number, ...curve: [number, number][]) =>
  ({ devices, curve: curve.map(([seconds, devices]) => ({ seconds, devices })) }) as unknown as Lane;

describe("the time to verified", () => {
  it("is that of the point at which a share was reached", () => {
    const l = lane(100, [1, 20], [2, 60], [5, 99]);
    expect(verifiedWithin(l, 0.5)).toBe(2);
    expect(verifiedWithin(l, 0.99)).toBe(5);
    expect(verifiedWithin(l, 1)).toBeUndefined();
    expect(verifiedWithin(lane(3), 0.5)).toBeUndefined();
  });
});
