import type { Entry } from "@/api/client";

const DAY = 24 * 3_600_000;

/** The entries that end from now within so many days, the soonest first. */
export function endingWithin(entries: Entry[], now: number, days: number): Entry[] {
  const at = (entry: Entry): number => Date.parse(entry.ends_at ?? "");
  return entries
    .filter((entry) => at(entry) > now && at(entry) <= now + days * DAY)
    .sort((one, other) => at(one) - at(other));
}

/** So many of the latest events are looked at. */
export const LOOKED_AT = 200;

const TOLD: [string, string, string][] = [
  ["entry.found", "entry found", "entries found"],
  ["entry.ended", "entry has ended", "entries have ended"],
  ["entry.changed", "entry has changed", "entries have changed"],
  ["flag.raised", "flag raised", "flags raised"],
  ["flag.cleared", "flag cleared", "flags cleared"],
  ["flag.accepted", "flag accepted", "flags accepted"],
  ["flag.back", "accepted flag is back", "accepted flags are back"],
  ["order.proved", "order proved", "orders proved"],
  ["policy.adopted", "policy adopted", "policies adopted"],
];

/**
 * What happened since an instant, counted by kind, with the latest instant of each. `events` are the latest ones; where
 * these do not reach back so far, there were at least so many.
 */
export function sentences(events: Record<string, unknown>[], since: number): { text: string; at: string }[] {
  const all = events.length < LOOKED_AT || Date.parse(String(events.at(-1)?.at)) < since;
  return TOLD.flatMap(([act, one, many]) => {
    const found = events.filter((event) => event.act === act && Date.parse(String(event.at)) >= since);
    const latest = found[0];
    if (!latest) return [];
    const count = `${all ? "" : "at least "}${found.length}`;
    return [{ text: `${count} ${found.length === 1 ? one : many}`, at: String(latest.at) }];
  });
}
