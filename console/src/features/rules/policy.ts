export interface Mistake {
  at: string;
  problem: string;
  hint: string;
  line: number;
  column: number;
}

/** The mistakes that the service found, with their places as numbers; 0 where there is none. */
export function mistakes(errors: Record<string, string>[]): Mistake[] {
  return errors.map((one) => {
    const at = one.at ?? "";
    const line = /line (\d+)/.exec(at);
    const column = /column (\d+)/.exec(at);
    return {
      at,
      problem: one.problem ?? "",
      hint: one.hint ?? "",
      line: Number(line?.[1] ?? 0),
      column: Number(column?.[1] ?? 0),
    };
  });
}

/** Where a line and column are in a text, counted in characters. */
export function placeOf(text: string, line: number, column: number): number {
  const lines = text.split("\n");
  const before = lines.slice(0, Math.max(line - 1, 0)).reduce((sum, one) => sum + one.length + 1, 0);
  return Math.min(before + Math.max(column - 1, 0), text.length);
}

/** The id of the rule in which a place of the text lies, or an empty text. */
export function ruleAt(text: string, place: number): string {
  const start = Math.max(text.lastIndexOf("\n[[rules]]", place), text.lastIndexOf("\n[[apart]]", place));
  if (start < 0) return "";
  const rest = text.slice(start + 1);
  const end = rest.slice(2).search(/\n\[\[(rules|apart)\]\]/);
  const own = end < 0 ? rest : rest.slice(0, end + 2);
  return /^\s*id\s*=\s*["']([^"']+)["']/m.exec(own)?.[1] ?? "";
}

/** Where a rule begins in a text, or 0. */
export function startOf(text: string, rule: string): number {
  const id = new RegExp(`^\\s*id\\s*=\\s*["']${rule.replaceAll(/[^a-z0-9-]/g, "")}["']`, "m").exec(text);
  if (!id) return 0;
  return Math.max(text.lastIndexOf("[[", id.index), 0);
}
