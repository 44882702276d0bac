import { POWERS } from "@/api/words";

export type Mark = "none" | "used" | "idle";

/** What to draw for each power: held and used, held and not used lately, or not held. */
export function powerMarks(held: readonly string[], used: readonly string[] | null | undefined): Mark[] {
  return POWERS.map((power) => {
    if (!held.includes(power)) return "none";
    return used && !used.includes(power) ? "idle" : "used";
  });
}
