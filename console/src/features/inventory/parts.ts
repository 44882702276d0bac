/** The parts of an account in one line; where there are many, the first ones, the last, and how many. */
export function parts(resources: readonly string[]): string {
  if (resources.length <= 4) return resources.join(", ");
  return `${resources.slice(0, 2).join(", ")} … ${resources.at(-1)} (${resources.length} parts)`;
}
