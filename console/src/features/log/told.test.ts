import { describe, expect, it } from "vitest";
import type { Event } from "@/api/client";
import { told } from "./told";

function event(act: string, facts: Record<string, unknown>): Event {
  return { id: "1", about: null, number: 1, link: "a", content: { act, facts } } as unknown as Event;
}

describe("an event in words", () => {
  it("leaves out what nobody reads, and lays flat what is nested", () => {
    const facts = {
      evidence: "01a20770-83d3-7bfe-92ae-3ab012e34b9d",
      plan: "5".repeat(64),
      reason: "",
      gone: 0,
      already: false,
      new: 7,
      powers: ["view", "edit"],
      facts: { last_used: "2026-04-23T22:46:23+00:00", limit_days: 90 },
    };
    expect(told(event("flag.raised", facts), "Pacific/Kiritimati")).toEqual({
      what: "Flag raised",
      detail: "new 7 · powers view, edit · last used 24 Apr 2026, 12:46 · limit days 90",
    });
  });

  it("shows an event that it does not know as it is", () => {
    expect(told(event("moon.rose", {}), "UTC")).toEqual({ what: "moon.rose", detail: "" });
  });
});
