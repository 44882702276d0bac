import { format, language, plainDay } from "./time";

/** Days as people type them, in their own language's order: 31/3/2027, 31 Mar 2027, 2027-03-31. */
const pad = (number: number, length = 2): string => String(number).padStart(length, "0");

/** A day as 2027-03-31, if there is such a day. */
function exists(year: number, month: number, day: number): string | null {
  const at = new Date(Date.UTC(year, month - 1, day));
  const same = at.getUTCFullYear() === year && at.getUTCMonth() === month - 1 && at.getUTCDate() === day;
  return same && year >= 1900 && year < 2900 ? `${pad(year, 4)}-${pad(month)}-${pad(day)}` : null;
}

/** The months of the language by the beginnings of their names. */
function month(word: string): number | null {
  const wanted = plain(word);
  if (wanted.length < 3) return null;
  const fits = [...Array(12).keys()].filter((at) =>
    (["long", "short"] as const).some((style) => {
      const options = { month: style, day: "numeric" } as const;
      const parts = format("UTC", options).formatToParts(Date.UTC(2024, at, 15));
      return plain(parts.find((part) => part.type === "month")?.value ?? "").startsWith(wanted);
    }),
  );
  const [only] = fits;
  return fits.length === 1 && only !== undefined ? only + 1 : null;
}
const plain = (word: string): string => word.toLocaleLowerCase(language()).replace(/[.’']/g, "").trim();

/** Whether the language writes the month before the day. */
function monthFirst(): boolean {
  const parts = format("UTC", { year: "numeric", month: "numeric", day: "numeric" }).formatToParts(0);
  const places = parts.map((part) => part.type);
  return places.indexOf("month") < places.indexOf("day") && places[0] !== "year";
}

/** The day that a text means, as 2027-03-31; "" for none, null for a text that means no day. */
export function dayOf(text: string): string | null {
  const said = text.trim();
  if (!said) return "";
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(said);
  if (iso) return exists(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  const numbers = /^(\d{1,2})\s*[./-]\s*(\d{1,2})\s*[./-]\s*(\d{4})$/.exec(said);
  if (numbers) {
    const [one, two] = [Number(numbers[1]), Number(numbers[2])];
    return monthFirst() ? exists(Number(numbers[3]), one, two) : exists(Number(numbers[3]), two, one);
  }
  const words = said.split(/[\s,]+/).filter((word) => word && !/^(de|of|del)$/i.test(word));
  const year = words.find((word) => /^\d{4}$/.test(word));
  const day = words.find((word) => /^\d{1,2}(\.|st|nd|rd|th|er)?$/i.test(word));
  const named = words.filter((word) => word !== year && word !== day);
  const [name = ""] = named;
  const which = named.length === 1 ? month(name) : null;
  return year && day && which ? exists(Number(year), which, Number.parseInt(day, 10)) : null;
}

/** A day as it stands in a field: as the language writes it, if that can be read again; else 2027-03-31. */
export function typedDay(day: string): string {
  const text = plainDay(day);
  return dayOf(text) === day ? text : day;
}

/** How a day is typed, by an example: the last day of March 2027. */
export function example(): string {
  const text = format("UTC", { year: "numeric", month: "numeric", day: "numeric" }).format(
    Date.UTC(2027, 2, 31),
  );
  return dayOf(text) === "2027-03-31" ? text : "2027-03-31";
}
