import { describe, expect, it } from "vitest";
import { parts } from "./outcomes";

describe("what came of a batch", () => {
  it("is shared out over everything in it, what is done first", () => {
    const found = parts({ stuck: 1, proved: 6, "to come": 1, told: 0 });
    expect(found.map((one) => one.word)).toEqual(["proved", "to come", "stuck"]);
    expect(found.reduce((sum, one) => sum + one.share, 0)).toBeCloseTo(100);
    expect(found[0]?.share).toBe(75);
  });

  it("is nothing where there is nothing", () => {
    expect(parts({})).toEqual([]);
  });
});
