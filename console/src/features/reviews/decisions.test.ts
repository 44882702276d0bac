import { describe, expect, it } from "vitest";
import type { RoundItem } from "@/api/client";
import { alike, decided, following, ordered } from "./decisions";

function item(place: number, more: Partial<RoundItem> = {}): RoundItem {
  return { place, group: "alike", outcome: "undecided", own: false, decision: null, ...more } as RoundItem;
}

describe("going through a round", () => {
  it("goes on to the next open item, from the top again, and never to one's own", () => {
    const items = [item(0), item(1, { outcome: "kept" }), item(2, { own: true }), item(3)];
    expect(following(items, 0)?.place).toBe(3);
    expect(following(items, 3)?.place).toBe(0);
    expect(following([item(5)], 5)).toBeUndefined();
  });

  it("keeps all of a party together, the riskiest first, where that is wanted", () => {
    const of = (place: number, party: string, risk: number) =>
      item(place, { entry: { party: { id: party } }, facts: { party, risk } } as Partial<RoundItem>);
    const items = [of(0, "orla", 60), of(1, "bram", 20), of(2, "bram", 90), of(3, "orla", 5)];
    expect(ordered(items, "party").map((one) => one.place)).toEqual([2, 1, 0, 3]);
    expect(ordered(items, "account")).toEqual(items);
    expect(following(ordered(items, "party"), 1)?.place).toBe(0);
  });

  it("offers the same answer for the same open question only", () => {
    const items = [
      item(0),
      item(1),
      item(2, { group: "other" }),
      item(3, { outcome: "kept" }),
      item(4, { own: true }),
    ];
    expect(alike(items, items[0] as RoundItem).map((one) => one.place)).toEqual([1]);
  });

  it("says what was decided with what belongs to it", () => {
    const decision = { choice: "narrow", level: "guide", until: null } as RoundItem["decision"];
    expect(decided(item(0, { decision }))).toBe("narrow to guide");
    expect(decided(item(0))).toBe("");
  });
});
