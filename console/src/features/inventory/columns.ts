import type { Entry } from "@/api/client";
import { COLUMN_HEADINGS } from "@/api/words";
import { ago, day, lastDay } from "@/ui/time";
import { parts } from "./parts";

/** A column of the inventory: its title and width, and its one or two lines where it is words only. */
export interface Column {
  key: string;
  title: string;
  width: string;
  least: number;
  lines?: (entry: Entry, zone: string, now: number) => [string, string?];
}

function used(entry: Entry): string {
  return entry.use_known ? "never" : "not known";
}
function end(entry: Entry, zone: string): string {
  if (entry.end_unknown) return "unknown";
  return entry.ends_at ? lastDay(entry.ends_at, zone) : "no end";
}

/** How wide each is, and what it says; a column that the command line has and this has not is an error here. */
const DRAWN: Record<
  Exclude<keyof typeof COLUMN_HEADINGS, "severity" | "who">,
  Omit<Column, "key" | "title">
> = {
  where: { width: "minmax(96px, 0.8fr)", least: 96 },
  as: { width: "minmax(90px, 0.8fr)", least: 90 },
  powers: { width: "128px", least: 128 },
  span: { width: "246px", least: 246 },
  given: {
    width: "minmax(104px, 0.7fr)",
    least: 104,
    lines: (e, zone) => [day(e.given_at, zone) || "not known", e.given_by],
  },
  "last-used": {
    width: "minmax(96px, 0.6fr)",
    least: 96,
    lines: (e, zone, now) => (e.last_used ? [day(e.last_used, zone), ago(e.last_used, now)] : [used(e)]),
  },
  ends: { width: "minmax(96px, 0.6fr)", least: 96, lines: (e, zone) => [end(e, zone), e.hours?.text] },
  reviewed: {
    width: "minmax(96px, 0.6fr)",
    least: 96,
    lines: (e, zone) => [day(e.reviewed_at.at(-1), zone) || "never"],
  },
  parts: {
    width: "minmax(120px, 1fr)",
    least: 120,
    lines: (e) => [parts(e.resources) || "the whole account"],
  },
  basis: { width: "minmax(140px, 1.2fr)", least: 140, lines: (e) => [e.basis] },
  id: { width: "84px", least: 84, lines: (e) => [e.ref] },
  risk: { width: "64px", least: 64, lines: (e) => [String(e.risk)] },
  why: { width: "minmax(150px, 1.3fr)", least: 150 },
};

/** All that can be chosen, in the order in which they stand; who it is always comes first. */
export const COLUMNS: readonly Column[] = Object.entries(DRAWN).map(([key, drawn]) => {
  const heading = COLUMN_HEADINGS[key as keyof typeof DRAWN];
  return { key, title: heading.charAt(0).toUpperCase() + heading.slice(1), ...drawn };
});
/** The columns that are shown, by their keys. */
export function shown(keys: readonly string[]): Column[] {
  return COLUMNS.filter((column) => keys.includes(column.key));
}
