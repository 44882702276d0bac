import { describe, expect, it } from "vitest";
import { mistakes, placeOf, ruleAt, startOf } from "./policy";

const TEXT = `policy = 1

[[apart]]
id = "takes-and-admits"

[[rules]]
id = "first"
when = 'true'

[[rules]]
title = "Second"
id = 'second'
when = 'false'
`;

describe("a policy's text", () => {
  it("says in which rule a place lies, wherever in it that is", () => {
    for (const [line, rule] of TEXT.split("\n").map((one, place) => [one, place] as const)) {
      const at = placeOf(TEXT, rule + 1, 1);
      expect(TEXT.slice(at, at + line.length)).toBe(line);
    }
    expect(ruleAt(TEXT, 3)).toBe("");
    expect(ruleAt(TEXT, TEXT.indexOf("takes-and"))).toBe("takes-and-admits");
    expect(ruleAt(TEXT, TEXT.indexOf("'true'"))).toBe("first");
    expect(ruleAt(TEXT, TEXT.indexOf("Second"))).toBe("second");
    expect(ruleAt(TEXT, TEXT.length)).toBe("second");
  });

  it("knows where a rule begins, and stays at the start for one that is not there", () => {
    expect(TEXT.slice(startOf(TEXT, "second"))).toMatch(/^\[\[rules\]\]\ntitle = "Second"/);
    expect(startOf(TEXT, "third")).toBe(0);
    expect(startOf(TEXT, "(((")).toBe(0);
  });

  it("takes the place of a mistake out of its words", () => {
    const [one, other] = mistakes([
      { at: "rule first, line 8, column 9", problem: "there is no field", hint: "Did you mean …" },
      { at: "", problem: "too long" },
    ]);
    expect([one?.line, one?.column, one?.hint]).toEqual([8, 9, "Did you mean …"]);
    expect([other?.line, other?.column, other?.hint]).toEqual([0, 0, ""]);
    expect(placeOf(TEXT, 999, 999)).toBe(TEXT.length);
  });
});
