import { describe, expect, it } from "vitest";
import { layout, MOST, type Change } from "./shifts";

const change = (who: string, more: Partial<Change> = {}): Change => ({
  who: { id: who, name: who },
  outside: false,
  account: { id: "1", name: "South Dome" },
  gained: ["view"],
  lost: [],
  ...more,
});

describe("the map of a what-if", () => {
  it("draws a gain and a loss of the same person on the same account as two lines that do not lie on each other", () => {
    const map = layout([change("Orla Finch", { gained: ["view"], lost: ["spend"] })]);
    expect(map.lines.map((one) => [one.gains, one.tone])).toEqual([
      [true, "look"],
      [false, "money"],
    ]);
    expect(new Set(map.lines.map((one) => one.path)).size).toBe(2);
    expect(map.left).toHaveLength(1);
  });

  it("names each account once, and says how many people it leaves out", () => {
    const map = layout(Array.from({ length: MOST + 3 }, (_, number) => change(`p${number}`)));
    expect(map.right.map((one) => one.name)).toEqual(["South Dome"]);
    expect([map.left.length, map.more]).toEqual([MOST, 3]);
  });

  it("tells two of one name apart, on two accounts of one name", () => {
    const [first, second] = ["1", "2"].map((id) =>
      change("", {
        who: { id, name: "Orla Finch" },
        account: { id: `a${id}`, name: "Gate" },
        outside: id === "2",
      }),
    ) as [Change, Change];
    const map = layout([first, second]);
    expect(map.left.map((one) => [one.name, one.outside])).toEqual([
      ["Orla Finch", false],
      ["Orla Finch", true],
    ]);
    expect(map.right.map((one) => one.name)).toEqual(["Gate", "Gate"]);
    expect(new Set(map.lines.map((one) => one.path)).size).toBe(2);
  });

  it("is empty for nothing", () => {
    expect(layout([]).lines).toEqual([]);
  });
});
