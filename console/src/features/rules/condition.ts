/** A condition put together from fields, as people choose them, and as the rule has it. */
import type { CatalogueField } from "@/api/client";

export interface Term {
  path: string;
  sign: string;
  value: string;
}

/** How a field of a type can be asked about: the sign, in words, and whether a value belongs to it. */
export const SIGNS: Record<string, [string, string, boolean][]> = {
  "true or false": [
    ["yes", "is so", false],
    ["no", "is not so", false],
  ],
  "a number": [
    [">", "is more than", true],
    ["<", "is less than", true],
    ["==", "is", true],
  ],
  "a text": [
    ["==", "is", true],
    ["!=", "is not", true],
    ["contains", "has in it", true],
    ["startsWith", "begins with", true],
  ],
  "an instant": [
    ["before", "was more than so many days ago", true],
    ["since", "was within so many days", true],
    ["ahead", "comes within so many days", true],
    ["missing", "is not known", false],
  ],
  "a list of texts": [
    ["in", "has in it", true],
    ["not in", "does not have in it", true],
    ["none", "is empty", false],
  ],
  "a list of powers": [
    ["in", "has in it", true],
    ["not in", "does not have in it", true],
    ["none", "is empty", false],
  ],
};

/** The signs of a field; its first is what a new term begins with. */
export function signsOf(field: CatalogueField | undefined): [string, string, boolean][] {
  return SIGNS[field?.type ?? ""] ?? [];
}

const quoted = (text: string): string => JSON.stringify(text);
const hours = (days: string): string => `duration("${Math.max(0, Math.round(Number(days) * 24))}h")`;

/** One term as a condition. */
export function termText({ path, sign, value }: Term, type: string): string {
  switch (sign) {
    case "yes":
      return path;
    case "no":
      return `!${path}`;
    case "contains":
    case "startsWith":
      return `${path}.${sign}(${quoted(value)})`;
    case "before":
      return `${path} < now - ${hours(value)}`;
    case "since":
      return `${path} >= now - ${hours(value)}`;
    case "ahead":
      return `${path} > now && ${path} <= now + ${hours(value)}`;
    case "missing":
      return `!has(${path})`;
    case "in":
      return `${quoted(value)} in ${path}`;
    case "not in":
      return `!(${quoted(value)} in ${path})`;
    case "none":
      return `size(${path}) == 0`;
    default:
      return `${path} ${sign} ${type === "a number" ? Number(value) : quoted(value)}`;
  }
}

/** All terms as one condition; empty as long as one of them is not complete. */
export function conditionText(terms: readonly Term[], fields: readonly CatalogueField[]): string {
  const parts = terms.map((term) => {
    const field = fields.find((one) => one.path === term.path);
    const [, , takes] = signsOf(field).find(([sign]) => sign === term.sign) ?? ["", "", true];
    return field && (!takes || term.value.trim()) ? termText(term, field.type) : "";
  });
  return parts.every(Boolean) ? parts.join(" && ") : "";
}

/** A name for programs, made from a title. */
export function ruleId(title: string): string {
  const plain = title
    .normalize("NFD")
    .replace(/[\u0300-\u036f]/g, "")
    .toLowerCase();
  return plain
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^[^a-z]+|-+$/g, "")
    .slice(0, 60)
    .replace(/-+$/, "");
}
