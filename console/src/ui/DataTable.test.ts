import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import { h } from "vue";
import DataTable from "./DataTable.vue";

interface Line {
  id: string;
  name: string;
  number: number;
}
const ROWS: Line[] = [
  { id: "a", name: "Gate", number: 3 },
  { id: "b", name: "Gate", number: 12 },
];
const COLUMNS = [
  { key: "name", title: "Account" },
  { key: "number", title: "Shared with", number: true },
  { key: "act", title: "What can be done", quiet: true },
];
function table(more: object = {}) {
  return mount(DataTable<Line>, {
    props: { columns: COLUMNS, rows: ROWS, keyOf: (row: Line) => row.id, ...more },
    slots: {
      name: ({ row }: { row: Line }) => h("b", row.name),
      number: ({ row, place }: { row: Line; place: number }) => `${place}: ${row.number}`,
    },
  });
}

describe("a table", () => {
  it("has a heading for each column, and a cell for it in every line", () => {
    const page = table();
    expect(page.findAll("th").map((one) => one.text())).toEqual([
      "Account",
      "Shared with",
      "What can be done",
    ]);
    expect(page.findAll("tbody tr").map((line) => line.findAll("td").map((one) => one.text()))).toEqual([
      ["Gate", "0: 3", ""],
      ["Gate", "1: 12", ""],
    ]);
    expect(page.findAll("th").at(2)?.find(".sr-only").exists()).toBe(true);
  });
  it("opens the line that is clicked, and only where lines can be opened", async () => {
    const shut = table();
    await shut.findAll("tbody tr").at(1)?.trigger("click");
    expect(shut.emitted("open")).toBeUndefined();
    const page = table({ opens: true, isOpen: (row: Line) => row.id === "b" });
    await page.findAll("tbody tr").at(1)?.trigger("click");
    expect(page.emitted("open")).toEqual([[ROWS[1]]]);
    expect(page.findAll("tbody tr").map((line) => line.classes("bg-wash"))).toEqual([false, true]);
  });
});
