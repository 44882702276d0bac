/** The eight powers, in the order in which they are always shown; money and admitting stand apart. */
export const POWERS = ["view", "edit", "publish", "export", "spend", "withdraw", "admit", "own"] as const;

export type Mark = "none" | "used" | "idle";

/** What to draw for each power: held and used, held and not used lately, or not held. */
export function powerMarks(held: readonly string[], used: readonly string[] | null | undefined): Mark[] {
  return POWERS.map((power) => {
    if (!held.includes(power)) return "none";
    return used && !used.includes(power) ? "idle" : "used";
  });
}
