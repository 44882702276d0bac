import { describe, expect, it } from "vitest";
import { BLANK, heldBy, namedIn, parsed, saidOf } from "./changes";

describe("a proposal", () => {
  it("says what each of its changes does", () => {
    expect(saidOf({ do: "lock", account: "Night-Sky Plates", locked: true })).toBe(
      "Night-Sky Plates is locked against being open to anyone",
    );
    expect(
      saidOf({ do: "give", to: "@sabine-kr", account: "Live", level: "presenter", until: "2027-01-02" }),
    ).toBe("@sabine-kr is given presenter on Live until 2027-01-02");
    expect(saidOf({ do: "share", account: "Plates", resource: "folder 004", statements: [{}] })).toBe(
      "folder 004 of Plates is shared by 1 statement",
    );
    for (const blank of Object.values(BLANK)) expect(saidOf(blank)).not.toBe(blank.do);
  });

  it("names whom a statement is about in a line that means the same again", () => {
    const to = [
      { anyone: true },
      { domain: "northcape-uni.example" },
      { party: "orla.finch@kestrelridge.example" },
    ];
    const line = namedIn({ effect: "allow", to, powers: [] });
    expect(line).toBe("anyone; @northcape-uni.example; orla.finch@kestrelridge.example");
    expect(heldBy(line)).toEqual(to);
    expect(heldBy("@sabine-kr")).toEqual([{ party: "@sabine-kr" }]);
  });

  it("is an object, or says why it is none", () => {
    expect(parsed('{"proposal": 1}').body).toEqual({ proposal: 1 });
    expect(parsed("[]").trouble).toBe("It is no object.");
    expect(parsed("{").trouble).not.toBe("");
  });
});
