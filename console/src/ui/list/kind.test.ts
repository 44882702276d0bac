import { showDates } from "@/ui/time";
import { describe, expect, it } from "vitest";
import { ACCOUNTS } from "@/features/inventory/accounts/list";
import { ENTRIES } from "@/features/inventory/filters";
import { APPS } from "@/features/inventory/parties/apps";
import { PARTIES } from "@/features/inventory/parties/list";

describe.each([
  ["the inventory", ENTRIES],
  ["accounts", ACCOUNTS],
  ["parties", PARTIES],
  ["apps", APPS],
])("the list of %s", (_name, kind) => {
  it("offers only filters, orders and columns that it knows", () => {
    const offered = kind.offered.flatMap((group) => group.choices.map(([field]) => field));
    const viewed = kind.views.flatMap((view) => Object.keys(view.filter));
    expect(kind.fields).toEqual(
      expect.arrayContaining([...offered, ...viewed, ...Object.keys(kind.switches)]),
    );
    expect(kind.columns.map((column) => column.key)).toEqual(expect.arrayContaining([...kind.usual]));
    const orders = kind.orders.map(([key]) => key);
    for (const { filter } of kind.views) if (filter.sort) expect(orders).toContain(filter.sort);
  });

  it("says each of its own views in words, in an address and as a command that has the same filters", () => {
    for (const { filter } of kind.views) {
      const address = kind.toAddress(filter, { entry: "7Q4K-BRM2" });
      expect(kind.fromAddress(address as Record<string, string>)).toEqual(filter);
      const options = Object.entries(filter).map(([field, value = ""]) =>
        field in kind.switches ? kind.switches[field]![value === "true" ? 0 : 1] : `--${field}`,
      );
      for (const option of options) expect(kind.line(filter)).toContain(option);
      expect(kind.exportAddress(filter, "csv")).toContain(`/api/v1/${kind.of}/export?`);
      expect(kind.exportAddress(filter, "csv")).not.toContain("separator");
      showDates("de-DE", "");
      expect(kind.exportAddress(filter, "csv")).toContain("separator=semicolon");
      expect(kind.exportAddress(filter, "xlsx")).not.toContain("separator");
      showDates("en-GB", "");
    }
  });
});
