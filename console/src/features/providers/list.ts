import { PROVIDER_FILTERS } from "@/api/words";
import { listKind } from "@/ui/list/kind";

/** Providers as a list. */
export const PROVIDERS = listKind({
  of: "providers",
  command: "provider list",
  searches: "Search providers",
  fields: PROVIDER_FILTERS,
  switches: { trouble: ["--trouble", "--well"] },
  orders: [
    ["name", "provider"],
    ["trouble", "worst trouble"],
    ["complete", "longest without a complete reading"],
    ["entries", "most entries"],
  ],
  columns: [
    { key: "how", title: "How it is read" },
    { key: "state", title: "State" },
    { key: "complete", title: "Last complete" },
    { key: "entries", title: "Entries" },
    { key: "able", title: "Shows and ends" },
    { key: "ref", title: "Id" },
  ],
  usual: ["how", "state", "complete", "entries"],
  names: { connector: "read as", trouble: "" },
  values: { trouble: { true: "with trouble", false: "without trouble" } },
  offered: [
    {
      title: "State",
      choices: [
        ["trouble", "true", "with trouble"],
        ["trouble", "false", "without trouble"],
      ],
    },
    { title: "How it is read", choices: [["connector", "by-hand", "by hand"]] },
  ],
  views: [
    { name: "All providers", filter: {} },
    { name: "Worst trouble first", filter: { sort: "trouble" } },
    { name: "With trouble", filter: { trouble: "true", sort: "trouble" } },
  ],
});
