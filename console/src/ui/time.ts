const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

const made = new Map<string, Intl.DateTimeFormat>();

/** How whoever is signed in wants to see dates: in which language, and moments in which zone. */
const own = { language: "en-GB", zone: "" };

export function showDates(language: string, zone: string): void {
  own.language = language || "en-GB";
  own.zone = zone;
}

/** The language in which dates are written. */
export const language = (): string => own.language;

/** Whether a comma is part of numbers in that language. */
export const commaInNumbers = (): boolean => (1.5).toLocaleString(own.language).includes(",");

/** A way of writing instants; making one takes far longer than using it, so each is made once. */
export function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = JSON.stringify([own.language, zone, options]);
  const found = made.get(key) ?? new Intl.DateTimeFormat(own.language, { ...options, timeZone: zone });
  made.set(key, found);
  return found;
}

const DATE = { day: "numeric", month: "short", year: "numeric" } as const;

/** A day in the workspace's zone, such as "29 Sept 2025"; empty where there is none. */
export function day(instant: string | null | undefined, zone: string): string {
  if (!instant) return "";
  return format(zone, DATE).format(new Date(instant));
}

/** The last day before an end: one at midnight is through the end of the day before. */
export function lastDay(end: string | null | undefined, zone: string): string {
  return end ? day(new Date(Date.parse(end) - 1).toISOString(), zone) : "";
}

/** A moment to the minute, in one's own zone if one has chosen one, else in that of the workspace. */
export function moment(instant: string | null | undefined, zone: string): string {
  if (!instant) return "";
  return format(own.zone || zone, { ...DATE, hour: "2-digit", minute: "2-digit" }).format(new Date(instant));
}

/** The exact instant, for hovering. */
export function exact(instant: string | null | undefined): string {
  return instant ? new Date(instant).toISOString() : "";
}

const passed = new Intl.RelativeTimeFormat("en-GB");

/** How long ago something was, roughly. */
export function ago(instant: string, now: number): string {
  const since = now - Date.parse(instant);
  for (const [size, unit] of [
    [DAY, "day"],
    [HOUR, "hour"],
    [MINUTE, "minute"],
  ] as const)
    if (since >= size) return passed.format(-Math.floor(since / size), unit);
  return "just now";
}

/** The day of an instant in a zone as a date field has it, such as 2027-03-31; of an end, its last day. */
export function dateField(at: string | null | undefined, zone: string, { end = false } = {}): string {
  if (!at) return "";
  return new Intl.DateTimeFormat("en-CA", { timeZone: zone }).format(
    new Date(Date.parse(at) - (end ? 1 : 0)),
  );
}

/** A day such as 2027-03-31 as days are written: "31 Mar 2027". */
export function plainDay(date: string): string {
  const noon = Date.parse(`${date}T12:00:00Z`);
  return Number.isNaN(noon) ? "" : format("UTC", DATE).format(new Date(noon));
}

/** A day such as 2027-03-31 written out, with how far away it is: "Wednesday 31 March 2027, in 4 months". */
export function written(date: string, now: number): string {
  const noon = Date.parse(`${date}T12:00:00Z`);
  if (Number.isNaN(noon)) return "";
  const name = format("UTC", { weekday: "long", ...DATE, month: "long" }).format(new Date(noon));
  const days = Math.round((noon - now) / DAY);
  const [count, unit] = ((): [number, Intl.RelativeTimeFormatUnit] => {
    if (Math.abs(days) >= 730) return [Math.round(days / 365.25), "year"];
    if (Math.abs(days) >= 60) return [Math.round(days / 30.44), "month"];
    return [days, "day"];
  })();
  return `${name}, ${new Intl.RelativeTimeFormat(own.language, { numeric: "auto" }).format(count, unit)}`;
}
