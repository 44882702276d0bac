import type { EntryQuery } from "@/api/client";
import { FILTERS, ORDERS, USUAL_COLUMNS } from "@/api/words";
import { listKind, type Filter, type Plan } from "@/ui/list/kind";
import { COLUMNS } from "./columns";

const CHANGES = "edit,publish,spend,withdraw,admit,own";

const VIEWS: Plan["views"] = [
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

const VALUES: Plan["values"] = {
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
const NAMES: Plan["names"] = {
  flagged: "",
  outside: "",
  unknown: "",
  mine: "",
  power: "can",
  rule: "flagged as",
  ends: "ends:",
  risk: "risk at least",
};

const OFFERED: Plan["offered"] = [
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

/** The inventory as a list. */
export const ENTRIES = listKind({
  of: "entries",
  command: "inventory",
  searches: "Search people, addresses, accounts",
  fields: FILTERS,
  switches: {
    flagged: ["--flagged", "--not-flagged"],
    outside: ["--outside", "--inside"],
    unknown: ["--unknown", "--known"],
    mine: ["--mine", ""],
  },
  orders: ORDERS,
  columns: COLUMNS,
  usual: USUAL_COLUMNS,
  names: NAMES,
  values: VALUES,
  offered: OFFERED,
  views: VIEWS,
});

/** The filter as the API takes it. */
export function toQuery(filter: Filter): EntryQuery {
  return ENTRIES.toQuery(filter) as EntryQuery;
}
