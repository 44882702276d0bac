/** Hours of the week as they are written, tue,fri 19:00-04:00 + sat 10:00-12:00, and as marks on a week of 168 hours. */
export const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"] as const;
const DAY = 24;
const WEEK = 7 * DAY;

/** The hours of the week that a text means, Monday 00:00 is 0; null where it is not written so or not on full hours. */
export function read(text: string): Set<number> | null {
  const marked = new Set<number>();
  if (!text.trim()) return marked;
  for (const part of text.split("+")) {
    const said = /^\s*([a-z, ]+?)\s+(\d\d):00-(\d\d):00\s*$/i.exec(part);
    if (!said) return null;
    const [, names = "", begins = "", ends = ""] = said;
    const [start, end] = [Number(begins), Number(ends)];
    if (start >= DAY || end > DAY || start === end) return null;
    const length = end > start ? end - start : end + DAY - start;
    for (const name of names.split(",")) {
      const day = DAYS.findIndex((one) => one === name.trim().toLowerCase());
      if (day < 0) return null;
      for (let hour = 0; hour < length; hour += 1) marked.add((day * DAY + start + hour) % WEEK);
    }
  }
  return marked;
}

/** Marked hours of the week as they are written: a night on the day on which it begins, equal stretches together. */
export function written(marked: ReadonlySet<number>): string {
  const days = new Map<string, number[]>();
  for (let day = 0; day < 7; day += 1) {
    let hour = nightOf(marked, (day + 6) % 7);
    while (hour < DAY) {
      const start = hour;
      while (hour < DAY && marked.has(day * DAY + hour)) hour += 1;
      if (hour > start) {
        const span = `${full(start)}-${full(hour === DAY ? nightOf(marked, day) || DAY : hour)}`;
        days.set(span, [...(days.get(span) ?? []), day]);
      }
      hour += 1;
    }
  }
  return [...days].map(([span, of]) => `${of.map((day) => DAYS[day]).join(",")} ${span}`).join(" + ");
}

/** How many hours of the next day the last stretch of a day takes with it: it ends before it would begin again. */
function nightOf(marked: ReadonlySet<number>, day: number): number {
  let start = DAY;
  while (start > 0 && marked.has(day * DAY + start - 1)) start -= 1;
  if (start === DAY) return 0;
  let taken = 0;
  while (taken < start && marked.has(((day + 1) * DAY + taken) % WEEK)) taken += 1;
  return taken < start ? taken : 0;
}

/** A full hour of a day as it is written, such as 07:00. */
export function full(hour: number): string {
  return `${String(hour).padStart(2, "0")}:00`;
}
