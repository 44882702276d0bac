import { describe, expect, it } from "vitest";
import { span, steps } from "./risk";

const NOW = Date.parse("2026-05-10T12:00:00Z");
const at = (days: number): string => new Date(NOW - days * 86_400_000).toISOString();

describe("a risk over time", () => {
  it("shows a month at least, and all that is known", () => {
    expect(span([], NOW)).toEqual([NOW - 30 * 86_400_000, NOW]);
    expect(span([{ at: at(90), risk: 3 }], NOW)[0]).toBe(NOW - 91 * 86_400_000);
  });
  it("is a line of steps that holds each value until the next, and the last until now", () => {
    const points = [
      { at: at(20), risk: 0 },
      { at: at(10), risk: 100 },
    ];
    const drawn = steps(points, 300, 100, NOW - 30 * 86_400_000, NOW);
    expect(drawn.line).toBe("M100 100H200V0H300");
    expect(drawn.dots.map((dot) => [dot.x, dot.y])).toEqual([
      [100, 100],
      [200, 0],
    ]);
    expect(steps([], 300, 100, 0, NOW).line).toBe("");
  });
});
