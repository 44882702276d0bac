import type { Review, RoundItem } from "@/api/client";

export type Choice = RoundItem["advice"];

/** What can be decided, with its key, in the order in which it is offered. */
export const CHOICES: { choice: Choice; key: string; name: string }[] = [
  { choice: "keep", key: "k", name: "Keep" },
  { choice: "narrow", key: "n", name: "Narrow" },
  { choice: "end-on", key: "d", name: "Last day" },
  { choice: "end-now", key: "x", name: "End now" },
  { choice: "pass-on", key: "p", name: "Pass on" },
];

const ADVISED: Record<Choice, string> = {
  keep: "Keep it",
  narrow: "Narrow it",
  "end-on": "Give it a last day",
  "end-now": "End it",
  "pass-on": "Pass it on",
};

/** What is said of so many entries that were too many for a round. */
export function leftOut(number: number): string {
  const entries = number === 1 ? "1 entry" : `${number.toLocaleString("en")} entries`;
  const are = number === 1 ? "is" : "are";
  return `${entries} on the accounts with the least risk ${are} not asked about: too many for one round.`;
}

/** The advice on an item in a sentence, to which its reason is added. */
export function advised(item: RoundItem): string {
  return item.advice === "narrow" && item.narrower
    ? `Narrow it to “${item.narrower}”.`
    : `${ADVISED[item.advice]}.`;
}

/** What was decided about an item, in a few words; empty while nothing is. */
export function decided(item: RoundItem): string {
  const d = item.decision;
  if (!d) return "";
  const what: Record<Choice, string> = {
    keep: "keep",
    narrow: `narrow to ${d.level}`,
    "end-on": `ends with ${d.until ?? ""}`,
    "end-now": "end now",
    "pass-on": "passed on",
  };
  return what[d.choice];
}

/** The items that are the same question as one of them, and wait for the same answer. */
export function alike(items: readonly RoundItem[], item: RoundItem): RoundItem[] {
  return items.filter(
    (one) => one.group === item.group && one.outcome === "undecided" && !one.own && one.place !== item.place,
  );
}

/** The next item that waits to be decided after the one with a place, from the top again; none if nothing waits. */
export function following(items: readonly RoundItem[], place: number): RoundItem | undefined {
  const at = items.findIndex((one) => one.place === place);
  const inTurn = [...items.slice(at + 1), ...items.slice(0, Math.max(at, 0))];
  return inTurn.find((one) => one.outcome === "undecided" && !one.own);
}

/** Items by account, the riskiest first, as a round has them; or all of a party together, the riskiest first. */
export function ordered(items: readonly RoundItem[], by: "account" | "party"): RoundItem[] {
  if (by === "account") return [...items];
  const worst = new Map<string, number>();
  for (const { entry, facts } of items)
    worst.set(entry.party.id, Math.max(worst.get(entry.party.id) ?? 0, facts.risk));
  const rank = (one: RoundItem) => worst.get(one.entry.party.id) ?? 0;
  return [...items].sort(
    (a, b) =>
      rank(b) - rank(a) ||
      a.facts.party.localeCompare(b.facts.party) ||
      a.entry.party.id.localeCompare(b.entry.party.id) ||
      b.facts.risk - a.facts.risk ||
      a.place - b.place,
  );
}

/** A choice of recurrences that need no knowledge of their notation; anything else can be written. */
export const RHYTHMS: [string, string][] = [
  ["FREQ=WEEKLY;BYDAY=MO", "every Monday"],
  ["FREQ=MONTHLY;BYDAY=1MO", "the first Monday of every month"],
  ["FREQ=MONTHLY;BYMONTHDAY=-1", "the last day of every month"],
  ["FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1", "the first day of every third month"],
  ["FREQ=MONTHLY;INTERVAL=6;BYDAY=1MO", "the first Monday of every sixth month"],
  ["FREQ=YEARLY", "once a year"],
];

/** Where in the coming year a review takes place: shares of it, 0 to 1. */
export function inYear(review: Review, now: number): { at: string; x: number }[] {
  const year = 365 * 86_400_000;
  return review.coming
    .map((at) => ({ at, x: (Date.parse(at) - now) / year }))
    .filter((one) => one.x >= 0 && one.x <= 1);
}
