import { ADMITTING, MONEY, POWERS } from "@/api/words";

type Power = (typeof POWERS)[number];
const among = (some: readonly string[], power: Power): boolean => some.includes(power);

/** Whether a power moves money. */
export const movesMoney = (power: Power): boolean => among(MONEY, power);

/** Whether a gap stands before a power: those that move money, and those that admit, stand apart. */
export function standsApart(power: Power): boolean {
  const before = POWERS[POWERS.indexOf(power) - 1];
  const group = (one: Power): string =>
    movesMoney(one) ? "money" : among(ADMITTING, one) ? "admitting" : "";
  return before !== undefined && group(before) !== group(power);
}

export type Mark = "none" | "used" | "idle";

/** What to draw for each power: held and used, held and not used lately, or not held. */
export function powerMarks(held: readonly string[], used: readonly string[] | null | undefined): Mark[] {
  return POWERS.map((power) => {
    if (!held.includes(power)) return "none";
    return used && !used.includes(power) ? "idle" : "used";
  });
}
