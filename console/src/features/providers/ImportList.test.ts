import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import ImportList from "./ImportList.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const PATH = "POST /providers/AAAA-BBBB/imports";
const outcome = {
  done: false,
  counts: { new: 2, changed: 0, unchanged: 0 },
  complaints: [] as object[],
  remarks: [] as object[],
  columns: [
    { header: "Who", field: "party", derived: false },
    { header: "Which", field: "", derived: false },
  ],
  fields: { party: "who has access", level: "the level" },
};

async function chosen(name = "list.csv") {
  const { shown } = await mounted(ImportList, { provider: "AAAA-BBBB", name: "Hill Road Signage" });
  const input = shown.get("input[type=file]");
  Object.defineProperty(input.element, "files", { value: [new File(["Who,Which\n"], name)] });
  await input.trigger("change");
  await flushPromises();
  return shown;
}

describe("importing a list", () => {
  it("looks through the list first, and changes nothing before somebody says so", async () => {
    const sent = service({ [PATH]: outcome });
    const shown = await chosen();
    expect(sent.map((one) => one.query.dry_run)).toEqual(["true"]);
    expect(shown.text()).toContain("It would bring: 2 new, 0 changed, 0 unchanged");
    service({ [PATH]: { ...outcome, done: true } });
    await shown.get("button.button").trigger("click");
    await flushPromises();
    expect(shown.text()).toContain("Imported: 2 new");
  });

  it("looks again when somebody says what a column is, and keeps that for the import", async () => {
    const sent = service({ [PATH]: outcome });
    const shown = await chosen();
    await shown.get("select[aria-label='What Which is']").setValue("level");
    await flushPromises();
    await shown.get("button.button").trigger("click");
    await flushPromises();
    expect(sent.slice(1).map((one) => [one.query.dry_run, JSON.parse(one.query.columns!)])).toEqual([
      ["true", { Which: "level" }],
      ["false", { Which: "level" }],
    ]);
  });

  it("says which columns and cells are left out because they hold passwords", async () => {
    service({
      [PATH]: {
        ...outcome,
        columns: [{ header: "Password", field: "", derived: false, secret: true }],
        remarks: [
          { line: 4, column: "Notes", problem: "the cell seems to hold a password, and was left out" },
        ],
      },
    });
    const shown = await chosen();
    expect(shown.text()).toContain("left out, it holds secrets");
    expect(shown.text()).toContain("Line 4, “Notes”: the cell seems to hold a password");
  });

  it("names every bad line and offers no import", async () => {
    service({ [PATH]: { ...outcome, complaints: [{ line: 3, column: "Until", problem: "it is no day" }] } });
    const shown = await chosen();
    expect(shown.text()).toContain("Line 3, “Until”: it is no day");
    expect(shown.text()).toContain("Nothing was changed");
    expect(shown.find("button.button").exists()).toBe(false);
  });

  it("says what a file is not that cannot be read", async () => {
    service({ [PATH]: () => problem(400, "malformed", "This is not a spreadsheet.") });
    expect((await chosen("list.xlsx")).text()).toContain("This is not a spreadsheet.");
  });
});
