/** One's own access in sentences. */
import type { Entry } from "@/api/client";
import { day, lastDay } from "@/ui/time";

const list = (words: readonly string[]): string =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;

/** What one can do with an access, where it is not all of the account, when, and until when. */
export function ability(entry: Entry, zone: string): string {
  if (entry.kind === "secret") return `You know ${entry.level}.`;
  const can = entry.powers.length
    ? `You can ${list(entry.powers)}`
    : entry.unknown.length
      ? "What this allows is not known yet"
      : "You can sign in, and nothing else";
  const where = entry.resources.length ? ` on ${list(entry.resources)}` : "";
  const when = entry.hours ? `, ${entry.hours.text} (${entry.hours.zone})` : "";
  const until = entry.ends_at ? `, until ${lastDay(entry.ends_at, zone)}` : "";
  const paused = entry.state === "paused" ? " It is paused." : "";
  return `${can}${where}${when}${until}.${paused}`;
}

/** Why one has an access: what it is for, who gave it, and when. */
export function origin(entry: Entry, zone: string): string {
  const given = entry.given_at ? ` on ${day(entry.given_at, zone)}` : "";
  const by = entry.given_by ? `Given by ${entry.given_by}${given}.` : given ? `Given${given}.` : "";
  return [entry.basis ? `For: ${entry.basis.replace(/[.]$/, "")}.` : "", by].filter(Boolean).join(" ");
}
