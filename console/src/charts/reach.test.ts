import { describe, expect, it } from "vitest";
import { layout, tone, type Step } from "./reach";

const step = (way: string, account: string, ...powers: string[]): Step => ({
  way: way ? { id: way, name: way, what: "team" } : null,
  account: { id: account, name: account, what: "Ticket Desk" },
  powers,
});

describe("the reach map", () => {
  it("joins each way to each account once, as wide as the powers it carries", () => {
    const map = layout([
      step("", "Bookings", "view"),
      step("", "Bookings", "view", "edit"),
      step("Saturday crew", "Bookings", "view"),
      step("Saturday crew", "Gate", "spend"),
    ]);
    expect(map.ways.map((way) => way.name)).toEqual(["direct", "Saturday crew"]);
    expect(map.accounts.map((account) => account.name)).toEqual(["Bookings", "Gate"]);
    expect(map.right.map((ribbon) => ribbon.key)).toHaveLength(3);
    const [direct, crew] = map.right;
    expect(direct?.width).toBeGreaterThan(crew?.width ?? 0);
    expect(map.right.map((ribbon) => ribbon.tone)).toEqual(["change", "look", "money"]);
  });

  it("tells two of one name apart, whatever is in the name", () => {
    const named = (id: string, name: string) => ({ id, name, what: "" });
    const map = layout([
      { way: named("1", "Crew"), account: named("3", "Gifts/2026"), powers: ["view"] },
      { way: named("2", "Crew"), account: named("4", "Gifts/2026"), powers: ["spend"] },
    ]);
    expect(map.ways.map((way) => way.name)).toEqual(["Crew", "Crew"]);
    expect(map.accounts.map((one) => one.name)).toEqual(["Gifts/2026", "Gifts/2026"]);
    expect(map.right.map((ribbon) => ribbon.tone)).toEqual(["look", "money"]);
  });

  it("keeps every knot inside, and no two of a column on one another", () => {
    const map = layout(Array.from({ length: 9 }, (_, n) => step(`team ${n}`, `account ${n % 4}`, "view")));
    for (const column of [map.ways, map.accounts]) {
      const heights = column.map((knot) => knot.y);
      expect(new Set(heights).size).toBe(column.length);
      expect(Math.min(...heights)).toBeGreaterThan(0);
      expect(Math.max(...heights)).toBeLessThan(map.height);
    }
  });

  it("is told by its gravest power", () => {
    expect([tone(["view"]), tone(["view", "admit"]), tone(["edit", "withdraw"]), tone([])]).toEqual([
      "look",
      "change",
      "money",
      "look",
    ]);
  });
});
