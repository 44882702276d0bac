import { day } from "@/ui/time";

type Fact = string | number | boolean | string[] | null;

/** A fact as people read it: instants as days, lists as words. */
export function told(value: Fact, zone: string): string {
  if (Array.isArray(value)) return value.join(", ") || "none";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "string" && /^\d{4}-\d\d-\d\dT/.test(value)) return day(value, zone);
  return String(value ?? "");
}
