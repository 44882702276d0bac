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
    const share = { do: "share", account: "Plates", resource: "folder 004" };
    const guests = {
      effect: "allow",
      to: [{ domain: "northcape-uni.example" }],
      powers: ["view", "export"],
      networks: ["192.0.2.0/26"],
      hours: ["mon,tue 22:00-02:00"],
    };
    const nobody = { effect: "deny", to: [{ anyone: true }], powers: ["edit"], networks: [] };
    expect(saidOf({ ...share, statements: [guests, nobody] })).toBe(
      "folder 004 of Plates: @northcape-uni.example may view, export (mon,tue 22:00-02:00, from 192.0.2.0/26); " +
        "anyone may not edit (from nowhere)",
    );
    expect(saidOf({ ...share, statements: [guests, guests, guests, guests] })).toBe(
      "folder 004 of Plates is shared by 4 statements",
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
