/** A length of time as a policy has it, 90d, in its parts. */
export function spanOf(text: string): { count: string; unit: string } {
  const found = /^(\d+)([dhm])$/.exec(text);
  return { count: found?.[1] ?? "", unit: found?.[2] ?? "d" };
}

/** The parts of a length of time as a policy has it; empty where there is no number. */
export function writtenSpan(count: string, unit: string): string {
  return /^\d{1,5}$/.test(count) ? `${Number(count)}${unit}` : "";
}
