import { describe, expect, it } from "vitest";
import type { Entry } from "@/api/client";
import { endingWithin, LOOKED_AT, sentences } from "./today";

const NOW = Date.parse("2026-05-10T12:00:00Z");
const on = (day: string): Entry => ({ ref: day, ends_at: `${day}T00:00:00Z` }) as Entry;

describe("today", () => {
  it("lists what ends from now within so many days, the soonest first", () => {
    const entries = [on("2026-05-30"), on("2026-05-12"), on("2026-05-09"), on("2026-07-01")];
    expect(endingWithin(entries, NOW, 21).map((e) => e.ref)).toEqual(["2026-05-12", "2026-05-30"]);
  });
  it("counts what happened since, and leaves out what did not", () => {
    const events = [
      { act: "flag.raised", at: "2026-05-10T11:00:00Z" },
      { act: "flag.raised", at: "2026-05-10T09:00:00Z" },
      { act: "entry.ended", at: "2026-05-10T08:00:00Z" },
      { act: "flag.cleared", at: "2026-05-08T08:00:00Z" },
    ];
    expect(sentences(events, NOW - 86_400_000)).toEqual([
      { text: "1 entry has ended", at: "2026-05-10T08:00:00Z" },
      { text: "2 flags raised", at: "2026-05-10T11:00:00Z" },
    ]);
  });

  it("says at least how many, where there are more events than are looked at", () => {
    const events = Array.from({ length: LOOKED_AT }, (_, n) => ({
      act: "entry.found",
      at: new Date(NOW - n * 1000).toISOString(),
    }));
    expect(sentences(events, NOW - 86_400_000)[0]?.text).toBe(`at least ${LOOKED_AT} entries found`);
    expect(sentences(events, NOW - 50_000)[0]?.text).toBe("51 entries found");
  });
});
