import { PARTY_FILTERS } from "@/api/words";
import { listKind } from "@/ui/list/kind";

/** Connected apps as a list. */
export const APPS = listKind({
  of: "apps",
  command: "app list",
  searches: "Search apps",
  fields: PARTY_FILTERS.filter((field) => !["kind", "status"].includes(field)),
  switches: { outside: ["--outside", "--inside"] },
  orders: [
    ["name", "app"],
    ["risk", "highest risk"],
  ],
  columns: [
    { key: "risk", title: "Risk" },
    { key: "worst", title: "Worst flag" },
    { key: "where", title: "On" },
    { key: "powers", title: "Powers" },
    { key: "asked", title: "What it was given" },
    { key: "since", title: "Since" },
    { key: "used", title: "Last used" },
    { key: "ref", title: "Id" },
  ],
  usual: ["risk", "worst", "where", "powers", "asked", "used"],
  names: { outside: "", risk: "risk at least" },
  values: { outside: { true: "outside the circle", false: "in the circle" } },
  offered: [
    {
      title: "Who publishes it",
      choices: [
        ["outside", "true", "outside the circle"],
        ["outside", "false", "in the circle"],
      ],
    },
    {
      title: "Risk",
      choices: [
        ["risk", "50", "50 or more"],
        ["risk", "25", "25 or more"],
      ],
    },
  ],
  views: [
    { name: "All apps", filter: {} },
    { name: "Highest risk first", filter: { sort: "risk" } },
    { name: "From outside", filter: { outside: "true", sort: "risk" } },
  ],
});
