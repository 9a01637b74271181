import { describe, expect, it } from "vitest";
import { sharesIn } from "./start-rollout";

describe("the shares of waves", () => {
  it("are whole numbers that grow, written in whatever way", () => {
    expect(sharesIn("10, 50")).toEqual([10, 50]);
    expect(sharesIn(" 5%  25 % 99 ")).toEqual([5, 25, 99]);
    expect(sharesIn("")).toEqual([]);
    for (const wrong of ["50, 10", "10, 10", "0", "100", "2.5", "ten"]) expect(sharesIn(wrong), wrong).toBeUndefined();
  });
});
