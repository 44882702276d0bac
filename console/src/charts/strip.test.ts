import { describe, expect, it } from "vitest";
import { axisAround, draw, place, type Span } from "./strip";

const now = Date.parse("2026-05-10T12:00:00Z");
const axis = axisAround(now, 246);
const blank: Span = {
  given: null,
  seen: null,
  lastUsed: null,
  useKnown: true,
  ends: null,
  endUnknown: false,
  ended: null,
  reviewed: [],
};
const days = (number: number) => new Date(now + number * 86_400_000).toISOString();

describe("the span strip", () => {
  it("is solid to the last use, pale from there to today, and open where there is no end", () => {
    const strip = draw(axis, { ...blank, given: days(-300), lastUsed: days(-100) });
    expect(strip.used?.x).toBe(place(axis, now - 300 * 86_400_000));
    expect((strip.used?.x ?? 0) + (strip.used?.width ?? 0)).toBeCloseTo(strip.idle?.x ?? -1);
    expect((strip.idle?.x ?? 0) + (strip.idle?.width ?? 0)).toBeCloseTo(strip.today);
    expect(strip).toMatchObject({ open: true, close: null, never: null, before: false });
  });

  it("claims no use and no disuse where the provider does not say", () => {
    expect(draw(axis, { ...blank, given: days(-50), useKnown: false })).toMatchObject({
      used: null,
      never: null,
    });
    expect(draw(axis, { ...blank, given: days(-50) })).toMatchObject({ used: null, idle: null });
    expect(draw(axis, { ...blank, given: days(-50) }).never).not.toBeNull();
  });

  it("leaves open what was before an access whose beginning is not known", () => {
    const strip = draw(axis, { ...blank, seen: days(-30), useKnown: false });
    expect(strip.unknown).toEqual({ x: 6, width: (strip.idle?.x ?? 0) - 6 });
    expect(draw(axis, { ...blank, given: days(-30) }).unknown).toBeNull();
  });

  it("closes at its end, and never runs on after it", () => {
    const coming = draw(axis, { ...blank, given: days(-20), lastUsed: days(-1), ends: days(30) });
    expect(coming).toMatchObject({ open: false, close: place(axis, now + 30 * 86_400_000) });
    const over = draw(axis, { ...blank, given: days(-90), lastUsed: days(-10), ended: days(-40) });
    expect(over.rest).toBeNull();
    expect((over.used?.x ?? 0) + (over.used?.width ?? 0)).toBeLessThanOrEqual(over.close ?? 0);
  });

  it("says that it began before the axis, and keeps everything on it", () => {
    const strip = draw(axis, {
      ...blank,
      given: days(-5000),
      lastUsed: days(-2),
      reviewed: [days(-4000), days(-9)],
    });
    expect(strip.before).toBe(true);
    expect(strip.used?.x).toBe(6);
    expect(strip.reviews).toHaveLength(1);
  });
});
