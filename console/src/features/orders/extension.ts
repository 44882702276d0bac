import { quoted } from "@/ui/command";

/** An extension as someone fills it in. */
export interface Extension {
  until: string;
  endless: boolean;
  parts: string[];
  everywhere: boolean;
  hours: string;
  always: boolean;
  level: string;
}

export const NOTHING: Extension = {
  until: "",
  endless: false,
  parts: [],
  everywhere: false,
  hours: "",
  always: false,
  level: "",
};

interface Wanted {
  until?: string;
  resources?: string[];
  hours?: string;
  level?: string;
  lifts?: ("end" | "hours" | "parts")[];
}

/** What an extension asks for; null as long as nothing more is said. What is lifted needs no limit beside it. */
export function wanted(one: Extension): Wanted | null {
  const lifts = [
    ...(one.endless ? (["end"] as const) : []),
    ...(one.everywhere ? (["parts"] as const) : []),
    ...(one.always ? (["hours"] as const) : []),
  ];
  const found: Wanted = {
    ...(one.until && !one.endless ? { until: one.until } : {}),
    ...(one.parts.length && !one.everywhere ? { resources: one.parts } : {}),
    ...(one.hours.trim() && !one.always ? { hours: one.hours.trim() } : {}),
    ...(one.level ? { level: one.level } : {}),
    ...(lifts.length ? { lifts } : {}),
  };
  return Object.keys(found).length ? found : null;
}

/** The options of the command that asks for the same. */
export function options(one: Extension): string[] {
  const found = wanted(one) ?? {};
  const lifted = { end: "--no-end", parts: "--all-parts", hours: "--all-hours" };
  return [
    ...(found.until ? ["--until", found.until] : []),
    ...(found.resources ?? []).flatMap((part) => ["--part", quoted(part)]),
    ...(found.hours ? ["--hours", quoted(found.hours)] : []),
    ...(found.level ? ["--to", quoted(found.level)] : []),
    ...(found.lifts ?? []).map((one) => lifted[one]),
  ];
}
