import { describe, expect, it } from "vitest";
import { read, written } from "./hours";

/** Weeks at random, the same ones in each run: single hours, nights, whole days, and stretches over several days. */
function* weeks(count: number): Generator<Set<number>> {
  let state = 20_270_301;
  const below = (limit: number): number => {
    state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
    return Math.floor((state / 2_147_483_648) * limit);
  };
  for (let number = 0; number < count; number += 1) {
    const week = new Set<number>();
    for (let stretch = below(5); stretch >= 0; stretch -= 1) {
      const start = below(168);
      for (let hour = below(60); hour >= 0; hour -= 1) week.add((start + hour) % 168);
    }
    yield week;
  }
}

const sorted = (week: Set<number> | null): number[] => [...(week ?? [])].sort((a, b) => a - b);

describe("hours of the week", () => {
  it("are read again as they were marked", () => {
    for (const week of weeks(500)) expect(sorted(read(written(week))), written(week)).toEqual(sorted(week));
  });

  it("are written as people write them", () => {
    for (const text of [
      "tue,fri 19:00-04:00",
      "mon,tue,wed,thu,fri 08:00-18:00",
      "sun 22:00-06:00",
      "sat 00:00-24:00",
    ])
      expect(written(read(text) ?? new Set())).toBe(text);
    expect(written(new Set())).toBe("");
  });

  it("are not guessed", () => {
    for (const text of [
      "tue 19:30-20:00",
      "tuesday 19:00-20:00",
      "tue",
      "tue 20:00-20:00",
      "tue 24:00-25:00",
      "-",
    ])
      expect(read(text), text).toBeNull();
  });
});
