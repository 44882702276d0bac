import { afterEach, describe, expect, it } from "vitest";
import { dayOf, example, typedDay } from "./dates";
import { plainDay, showDates } from "./time";

afterEach(() => showDates("en-GB", ""));
const LANGUAGES = ["en-GB", "en-US", "de-DE", "fr-FR", "es-ES", "nl-NL", "sv-SE", "it-IT", "pt-PT"];
const days = [...Array(800).keys()].map((at) =>
  new Date(Date.UTC(2026, 0, 1) + at * 86_400_000 * 1.7).toISOString().slice(0, 10),
);

describe("a day as it is typed", () => {
  it.each(LANGUAGES)("is the day that was written, in %s", (language) => {
    showDates(language, "");
    for (const day of days) {
      expect(dayOf(plainDay(day)), plainDay(day)).toBe(day);
      expect(dayOf(day)).toBe(day);
    }
    expect(dayOf(example())).toBe("2027-03-31");
  });

  it.each(["ja-JP", "ko-KR", "ar-EG", "fa-IR", "th-TH", "fi-FI", "pl-PL", "cs-CZ", "hu-HU"])(
    "stands in a field so that it can be read again, in %s",
    (language) => {
      showDates(language, "");
      for (const day of days) expect(dayOf(typedDay(day)), typedDay(day)).toBe(day);
      expect(dayOf(example())).toBe("2027-03-31");
    },
  );

  it("is read in the order of the language", () => {
    expect(dayOf("4/3/2027")).toBe("2027-03-04");
    showDates("en-US", "");
    expect(dayOf("4/3/2027")).toBe("2027-04-03");
    expect(dayOf("April 3rd, 2027")).toBe("2027-04-03");
  });

  it.each(["31/2/2027", "tomorrow", "2027", "3 J 2027", "3 Ju 2027", "2027-13-01", "1/1/1", "x"])(
    "is none where there is no such day: %s",
    (text) => expect(dayOf(text)).toBeNull(),
  );

  it("may be left out", () => expect(dayOf("  ")).toBe(""));
});
