import { PARTY_FILTERS } from "@/api/words";
import { listKind } from "@/ui/list/kind";

/** Parties as a list. */
export const PARTIES = listKind({
  of: "parties",
  command: "party list",
  searches: "Search names and addresses",
  fields: PARTY_FILTERS,
  switches: { outside: ["--outside", "--inside"] },
  orders: [
    ["name", "party"],
    ["risk", "highest risk"],
    ["kind", "kind"],
  ],
  columns: [
    { key: "address", title: "Address or publisher" },
    { key: "what", title: "Kind" },
    { key: "risk", title: "Risk" },
    { key: "worst", title: "Worst flag" },
    { key: "access", title: "Access to" },
    { key: "used", title: "Last used" },
    { key: "status", title: "Status" },
    { key: "ref", title: "Id" },
  ],
  usual: ["address", "what", "risk", "worst", "access", "used"],
  names: { outside: "", kind: "", status: "", risk: "risk at least" },
  values: {
    outside: { true: "outside the circle", false: "in the circle" },
    status: { left: "has left", current: "current", unknown: "status not known" },
  },
  offered: [
    {
      title: "Kind",
      choices: [
        ["kind", "person", "people"],
        ["kind", "team", "teams"],
        ["kind", "app", "apps"],
        ["kind", "anyone", "anyone with a link"],
      ],
    },
    {
      title: "Who",
      choices: [
        ["outside", "true", "outside the circle"],
        ["outside", "false", "in the circle"],
        ["status", "left", "has left"],
      ],
    },
    {
      title: "Risk",
      choices: [
        ["risk", "75", "75 or more"],
        ["risk", "50", "50 or more"],
      ],
    },
  ],
  views: [
    { name: "All parties", filter: {} },
    { name: "Highest risk first", filter: { sort: "risk" } },
    { name: "Outsiders", filter: { outside: "true", sort: "risk" } },
    { name: "Who has left", filter: { status: "left" } },
  ],
});
