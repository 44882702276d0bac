import { describe, expect, it } from "vitest";
import { commandOf, complete, emptyOffer, emptyPart, wishOf } from "./wish";

const offer = () => ({
  ...emptyOffer(),
  to: "amara.levy@northcape-uni.example",
  until: "2027-03-12",
  parts: [{ ...emptyPart("South Dome"), task: "observe", hours: "tue,fri 19:00-04:00" }],
});

describe("an offer that is filled in", () => {
  it("is complete once it says to whom, of what, and until when, or that it has no end", () => {
    expect(complete(emptyOffer())).toBe(false);
    expect(complete(offer())).toBe(true);
    expect(complete({ ...offer(), until: "" })).toBe(false);
    expect(complete({ ...offer(), until: "", endless: true })).toBe(true);
    expect(complete({ ...offer(), parts: [emptyPart("South Dome")] })).toBe(false);
  });

  it("sends only what was chosen of each part, and never says that it has no end where it has one", () => {
    const part = {
      ...emptyPart("Bookings"),
      level: "guide",
      permissions: ["refund"],
      by: "permissions" as const,
    };
    const wish = wishOf({ ...offer(), endless: true, parts: [part] });
    expect(wish.parts[0]).toMatchObject({ level: "", permissions: ["refund"], task: "", needs: [] });
    expect(wish.endless).toBe(false);
  });

  it("has a last day of its own for a part that ends before the others", () => {
    const parts = [emptyPart("South Dome"), { ...emptyPart("Bookings"), until: "2027-01-31" }];
    expect(wishOf({ ...offer(), parts }).parts.map((part) => part.until)).toEqual([null, "2027-01-31"]);
    expect(commandOf({ ...offer(), parts })).toBe("");
  });

  it("asks for the very powers that someone asked for", () => {
    const asked = { ...offer(), parts: [{ ...emptyPart("South Dome"), task: "asked" }] };
    expect(wishOf(asked, ["view", "edit"]).parts[0]).toMatchObject({ task: "", needs: ["view", "edit"] });
  });

  it("is the same command, which nobody's words can make another one", () => {
    const hostile = { ...offer(), name: "Amara", basis: "$(touch x) or Amara's nights" };
    expect(commandOf(hostile)).toBe(
      "openlatch offer make amara.levy@northcape-uni.example --account 'South Dome' --task observe --until 2027-03-12 " +
        "--hours 'tue,fri 19:00-04:00' --name Amara --reason '$(touch x) or Amara'\\''s nights'",
    );
    const part = {
      ...emptyPart("South Dome"),
      task: "observe",
      powerUntil: { export: "2027-03-10", edit: "" },
    };
    const changed = commandOf({ ...offer(), parts: [part] }, "9AZT-8KSN");
    expect(changed).toContain("--power-until export=2027-03-10");
    expect(changed).toMatch(/^openlatch offer change 9AZT-8KSN amara/);
  });
});
