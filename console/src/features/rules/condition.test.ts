import { describe, expect, it } from "vitest";
import type { CatalogueField } from "@/api/client";
import { conditionText, ruleId, SIGNS, signsOf } from "./condition";

const field = (path: string, type: string): CatalogueField => ({ path, type, says: "", words: [] });
const FIELDS = Object.keys(SIGNS).map((type) => field(`entry.${type.replaceAll(" ", "_")}`, type));

describe("a condition from chosen fields", () => {
  it("is written for every sign of every type", () => {
    for (const one of FIELDS)
      for (const [sign] of signsOf(one)) {
        const text = conditionText([{ path: one.path, sign, value: "7" }], FIELDS);
        expect(text, `${one.type} ${sign}`).toContain(one.path);
        expect(text).not.toContain("undefined");
      }
  });

  it("says what was chosen, one after the other", () => {
    const terms = [
      { path: "entry.a_text", sign: "==", value: 'a "guide"' },
      { path: "entry.an_instant", sign: "before", value: "90" },
      { path: "entry.true_or_false", sign: "no", value: "" },
      { path: "entry.a_list_of_powers", sign: "in", value: "spend" },
      { path: "entry.a_number", sign: ">", value: "3" },
    ];
    expect(conditionText(terms, FIELDS)).toBe(
      'entry.a_text == "a \\"guide\\"" && entry.an_instant < now - duration("2160h") && !entry.true_or_false' +
        ' && "spend" in entry.a_list_of_powers && entry.a_number > 3',
    );
  });

  it("is nothing as long as a term is not complete", () => {
    expect(conditionText([{ path: "entry.a_text", sign: "==", value: " " }], FIELDS)).toBe("");
    expect(conditionText([{ path: "", sign: "", value: "" }], FIELDS)).toBe("");
  });

  it("has a name that a policy takes", () => {
    expect(ruleId("Gäste, die 3 Türen öffnen!")).toBe("gaste-die-3-turen-offnen");
    expect(ruleId("3 keys")).toBe("keys");
    expect(ruleId("x".repeat(80))).toHaveLength(60);
  });
});
