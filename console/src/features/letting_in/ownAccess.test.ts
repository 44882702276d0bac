import { describe, expect, it } from "vitest";
import type { Entry } from "@/api/client";
import { ability, origin } from "./ownAccess";

const entry = (more: Partial<Entry>): Entry =>
  ({
    kind: "delegate", level: "observer", powers: ["view", "edit"], unknown: [], resources: [], hours: null,
    ends_at: null, state: "live", basis: "", given_by: "", given_at: null, ...more,
  }) as Entry; // prettier-ignore

describe("one's own access in sentences", () => {
  it("says what, where, when and until when, and nothing that is not so", () => {
    expect(ability(entry({}), "UTC")).toBe("You can view and edit.");
    expect(
      ability(
        entry({
          powers: ["view", "edit", "spend"],
          resources: ["folder 1"],
          hours: { text: "Tuesdays 19:00–04:00", zone: "Europe/London" } as Entry["hours"],
          ends_at: "2027-05-04T00:00:00Z",
          state: "paused",
        }),
        "UTC",
      ),
    ).toBe(
      "You can view, edit and spend on folder 1, Tuesdays 19:00–04:00 (Europe/London), until 3 May 2027. It is paused.",
    );
    expect(ability(entry({ powers: [] }), "UTC")).toBe("You can sign in, and nothing else.");
    expect(ability(entry({ powers: [], unknown: ["x"] }), "UTC")).toBe("What this allows is not known yet.");
    expect(ability(entry({ kind: "secret", level: "the shared password" }), "UTC")).toBe(
      "You know the shared password.",
    );
  });

  it("says why, as far as that is known", () => {
    expect(origin(entry({}), "UTC")).toBe("");
    expect(
      origin(entry({ basis: "Nights.", given_by: "Maren Ashdown", given_at: "2026-05-01T12:00:00Z" }), "UTC"),
    ).toBe("For: Nights. Given by Maren Ashdown on 1 May 2026.");
  });
});
