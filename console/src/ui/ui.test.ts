import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import PowerMarks from "./PowerMarks.vue";
import { SEVERITIES } from "@/api/words";
import { notchPath } from "./notch";
import { POWERS } from "@/api/words";
import { powerMarks } from "./powers";
import { ago, dateField, day, lastDay, written } from "./time";

describe("notches", () => {
  it("cuts one to four, each inside the bar", () => {
    SEVERITIES.forEach((_, rank) => {
      const path = notchPath(rank + 1, 24);
      expect(path.match(/L4\.6/g)).toHaveLength(rank + 1);
      const heights = [...path.matchAll(/V([\d.]+)/g)].map((found) => Number(found[1]));
      expect(heights).toEqual([...heights].sort((a, b) => a - b));
      expect(Math.max(...heights)).toBe(24);
    });
  });
});

describe("powers", () => {
  it("stand in their fixed places, hollow where they were not used lately", () => {
    expect(powerMarks(["spend", "view"], ["view"])).toEqual([
      "used",
      "none",
      "none",
      "none",
      "idle",
      "none",
      "none",
      "none",
    ]);
    expect(powerMarks(["own"], null)[POWERS.indexOf("own")]).toBe("used");
  });

  it("can be read without seeing them", () => {
    const marks = mount(PowerMarks, { props: { held: ["view", "admit"], used: null } });
    expect(marks.attributes("aria-label")).toBe("view, admit");
  });
});

describe("time", () => {
  it("is told in the workspace's zone", () => {
    expect(day("2026-03-31T23:30:00Z", "Europe/London")).toBe("1 Apr 2026");
    expect(day(null, "UTC")).toBe("");
    // An end at midnight is through the day before it, in summer time too.
    expect(lastDay("2026-03-31T23:00:00Z", "Europe/London")).toBe("31 Mar 2026");
    expect(lastDay("2026-03-31T22:59:00Z", "Europe/London")).toBe("31 Mar 2026");
    expect(dateField("2026-03-31T23:00:00Z", "Europe/London", { end: true })).toBe("2026-03-31");
    expect(dateField("2026-03-31T23:00:00Z", "Europe/London")).toBe("2026-04-01");
  });

  it("is rounded down, in the largest unit that fits", () => {
    const now = Date.parse("2026-05-10T12:00:00Z");
    expect(ago("2026-05-10T11:59:30Z", now)).toBe("just now");
    expect(ago("2026-05-10T10:01:00Z", now)).toBe("1 hour ago");
    expect(ago("2026-05-08T11:00:00Z", now)).toBe("2 days ago");
  });
});

describe("a day that is written out", () => {
  const now = Date.parse("2027-03-01T23:30:00Z");

  it("says how far away it is, by the unit that tells most", () => {
    expect(written("2027-03-01", now)).toMatch(/^Monday,? 1 March 2027, today$/);
    expect(written("2027-02-28", now)).toMatch(/^Sunday,? 28 February 2027, yesterday$/);
    expect(written("2027-05-31", now)).toMatch(/^Monday,? 31 May 2027, in 3 months$/);
    expect(written("2031-03-01", now)).toMatch(/^Saturday,? 1 March 2031, in 4 years$/);
  });

  it("is nothing where no day is", () => {
    expect(written("", now)).toBe("");
    expect(written("2027-02-31x", now)).toBe("");
  });
});
