import { ACCOUNT_FILTERS } from "@/api/words";
import { listKind } from "@/ui/list/kind";

/** Accounts as a list. */
export const ACCOUNTS = listKind({
  of: "accounts",
  command: "account list",
  searches: "Search accounts",
  fields: ACCOUNT_FILTERS,
  switches: { practice: ["--practice", "--real"] },
  orders: [
    ["name", "account"],
    ["risk", "highest risk"],
    ["provider", "provider"],
    ["criticality", "most critical"],
  ],
  columns: [
    { key: "risk", title: "Risk" },
    { key: "worst", title: "Worst flag" },
    { key: "criticality", title: "Criticality" },
    { key: "shared", title: "Shared with" },
    { key: "reviewed", title: "Reviewed" },
    { key: "secrets", title: "Known secrets" },
    { key: "used", title: "Last used" },
    { key: "ref", title: "Id" },
  ],
  usual: ["risk", "worst", "criticality", "shared", "reviewed"],
  names: { criticality: "", practice: "", risk: "risk at least" },
  values: { practice: { true: "for practice", false: "real" } },
  offered: [
    {
      title: "Criticality",
      choices: [
        ["criticality", "vital", "vital"],
        ["criticality", "normal", "normal"],
        ["criticality", "minor", "minor"],
      ],
    },
    {
      title: "Risk",
      choices: [
        ["risk", "75", "75 or more"],
        ["risk", "50", "50 or more"],
      ],
    },
    {
      title: "Practice",
      choices: [
        ["practice", "false", "real ones"],
        ["practice", "true", "for practice"],
      ],
    },
  ],
  views: [
    { name: "All accounts", filter: {} },
    { name: "Highest risk first", filter: { sort: "risk" } },
    { name: "Vital accounts", filter: { criticality: "vital", sort: "risk" } },
  ],
});
