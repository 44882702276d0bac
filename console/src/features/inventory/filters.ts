import type { LocationQuery, LocationQueryRaw } from "vue-router";
import type { EntryQuery } from "@/api/client";
import { FILTERS } from "@/api/words";
import { quoted } from "@/ui/command";

type Field = (typeof FILTERS)[number];
export type Filter = Partial<Record<Field, string>>;

export interface Chip {
  field: Field;
  text: string;
  value: string;
}

const CHANGES = "edit,publish,spend,withdraw,admit,own";

/** Views that everybody has; saved ones come on top of them. */
export const VIEWS: { name: string; filter: Filter }[] = [
  { name: "All current entries", filter: {} },
  { name: "My own access", filter: { mine: "true" } },
  { name: "Open to anyone", filter: { kind: "open" } },
  { name: "Open to anyone, to read", filter: { kind: "open", power: "view,export" } },
  { name: "Open to anyone, to change", filter: { kind: "open", power: CHANGES } },
  { name: "Connected apps", filter: { kind: "app" } },
  { name: "Signed in now", filter: { kind: "session", sort: "last-used" } },
  { name: "Offers not accepted yet", filter: { kind: "offer", sort: "given" } },
  { name: "Known secrets", filter: { kind: "secret" } },
  { name: "Outsiders who can move money", filter: { outside: "true", power: "spend,withdraw" } },
  { name: "Meaning not known", filter: { unknown: "true" } },
];

/** A saved view's query as a filter. */
export function fromQuery(query: string): Filter {
  return fromAddress(Object.fromEntries(new URLSearchParams(query)));
}

const VALUES: Partial<Record<Field, Record<string, string>>> = {
  flagged: { true: "flagged", false: "not flagged" },
  outside: { true: "outside the circle", false: "in the circle" },
  unknown: { true: "meaning not known", false: "meaning known" },
  mine: { true: "my own" },
  power: {
    "spend,withdraw": "move money",
    "admit,own": "let others in",
    "view,export": "read",
    [CHANGES]: "change",
  },
  ends: { none: "no end", dated: "a date", unknown: "unknown" },
  rule: {
    "unused-past-limit": "unused past the limit",
    "outsider-without-end": "outsider without an end",
    "address-near-miss": "address close to a known one",
  },
  state: { "offered,live,paused,ending,ended": "any, ended too" },
};
const NAMES: Partial<Record<Field, string>> = {
  flagged: "",
  outside: "",
  unknown: "",
  mine: "",
  power: "can",
  rule: "flagged as",
  ends: "ends:",
  risk: "risk at least",
};

export const OFFERED: { title: string; choices: [Field, string, string][] }[] = [
  {
    title: "Flags",
    choices: [
      ["flagged", "true", "have a flag"],
      ["rule", "unused-past-limit", "unused past the limit"],
      ["rule", "outsider-without-end", "outsider without an end"],
      ["rule", "address-near-miss", "address close to a known one"],
    ],
  },
  {
    title: "Who",
    choices: [
      ["outside", "true", "outside the circle"],
      ["outside", "false", "in the circle"],
    ],
  },
  {
    title: "Can",
    choices: [
      ["power", "spend,withdraw", "move money"],
      ["power", "admit,own", "let others in"],
      ["power", "export", "take data out in bulk"],
      ["unknown", "true", "meaning not known"],
    ],
  },
  {
    title: "Kind and state",
    choices: [
      ["kind", "session", "sessions"],
      ["kind", "delegate,grant", "delegates and grants"],
      ["ends", "none", "no end"],
      ["ends", "dated", "ends on a date"],
      ["state", "ended", "ended"],
      ["state", "offered,live,paused,ending,ended", "any state, ended too"],
    ],
  },
];

/** Read a filter from an address; what is not known there is left alone. */
export function fromAddress(query: LocationQuery): Filter {
  const filter: Filter = {};
  for (const field of FILTERS) {
    const value = query[field];
    if (typeof value === "string" && value) filter[field] = value;
  }
  return filter;
}

/** The address of a filter, keeping whatever else the address said. */
export function toAddress(filter: Filter, query: LocationQuery): LocationQueryRaw {
  const others = Object.entries(query).filter(([name]) => !(FILTERS as readonly string[]).includes(name));
  return { ...Object.fromEntries(others), ...filter };
}

/** The filter as the API takes it. */
export function toQuery(filter: Filter): EntryQuery {
  const { flagged, outside, unknown, mine, ...words } = without(filter, "columns");
  return {
    ...words,
    ...(flagged ? { flagged: flagged === "true" } : {}),
    ...(outside ? { outside: outside === "true" } : {}),
    ...(unknown ? { unknown: unknown === "true" } : {}),
    ...(mine ? { mine: true } : {}),
  } as EntryQuery;
}

/** The filter without some fields, such as the order for what does not depend on one. */
export function without(filter: Filter, ...fields: Field[]): Filter {
  return Object.fromEntries(Object.entries(filter).filter(([field]) => !fields.includes(field as Field)));
}

/** The filter in readable pieces, each of which can be taken away. */
export function chips(filter: Filter): Chip[] {
  const spoken = without(filter, "q", "sort", "columns");
  return FILTERS.filter((field) => spoken[field]).map((field) => {
    const value = filter[field] ?? "";
    return {
      field,
      text: NAMES[field] ?? field,
      value: VALUES[field]?.[value] ?? value.replaceAll(",", " or "),
    };
  });
}

export const FORMATS: [string, string][] = [
  ["csv", "CSV"],
  ["xlsx", "Spreadsheet (XLSX)"],
  ["jsonl", "JSON Lines"],
];

/** Where the same list can be had as a file. */
export function exportAddress(filter: Filter, format: string): string {
  return `/api/v1/entries/export?${new URLSearchParams({ ...without(filter, "columns"), format }).toString()}`;
}

/** The command that lists the same. */
export function command(filter: Filter): string {
  const words = ["openlatch inventory"];
  if (filter.q) words.push(quoted(filter.q));
  for (const field of FILTERS) {
    const value = filter[field];
    if (!value || field === "q") continue;
    if (field === "flagged") words.push(value === "true" ? "--flagged" : "--not-flagged");
    else if (field === "outside") words.push(value === "true" ? "--outside" : "--inside");
    else if (field === "unknown") words.push(value === "true" ? "--unknown" : "--known");
    else if (field === "mine") words.push("--mine");
    else words.push(`--${field} ${quoted(value)}`);
  }
  return words.join(" ");
}
