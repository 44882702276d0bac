import { describe, expect, it } from "vitest";
import { NOTHING, options, wanted, type Extension } from "./extension";

const one = (more: Partial<Extension>): Extension => ({ ...NOTHING, ...more });

describe("an extension", () => {
  it("is nothing as long as nothing more is said", () => {
    expect(wanted(NOTHING)).toBeNull();
    expect(options(NOTHING)).toEqual([]);
    expect(wanted(one({ hours: "  " }))).toBeNull();
  });

  it("leaves out what a lifted limit makes needless", () => {
    const all = one({
      until: "2027-06-30",
      endless: true,
      parts: ["till"],
      everywhere: true,
      hours: "tue 1-2",
      always: true,
    });
    expect(wanted(all)).toEqual({ lifts: ["end", "parts", "hours"] });
    expect(options(all)).toEqual(["--no-end", "--all-parts", "--all-hours"]);
  });

  it("says as a command what it asks for", () => {
    const some = one({ until: "2027-06-30", parts: ["the safe", "till"], level: "desk" });
    expect(wanted(some)).toEqual({ until: "2027-06-30", resources: ["the safe", "till"], level: "desk" });
    expect(options(some)).toEqual([
      "--until",
      "2027-06-30",
      "--part",
      "'the safe'",
      "--part",
      "till",
      "--to",
      "desk",
    ]);
  });
});
