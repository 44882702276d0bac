import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import ImportPage from "./ImportPage.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const LOOK = "POST /providers/AAAA-BBBB/import-preview";
const BEGIN = "POST /providers/AAAA-BBBB/imports";
const ABOUT = { "GET /providers/AAAA-BBBB": { name: "Hill Road Signage" } };
const form = {
  sheet: "Keys",
  header: 2,
  headers: 1,
  columns: {},
  orders: {},
  hidden: false,
  struck: false,
  skip: [],
  take: [],
};
const outcome = {
  counts: { new: 1, changed: 0, unchanged: 0 },
  complaints: [] as object[],
  remarks: [] as object[],
  notes: [{ line: 4, why: "looks like a total" }],
  columns: [
    { header: "Who", field: "party", derived: false, secret: false, order: null, asks: false },
    { header: "Until", field: "ends_at", derived: false, secret: false, order: null, asks: false },
    { header: "Password", field: "", derived: false, secret: true, order: null, asks: false },
  ],
  fields: { party: "who has access", ends_at: "its last day", basis: "why" },
  sheets: [{ name: "Keys", lines: 4, hidden: false }],
  form,
  lines: [
    { line: 1, cells: ["Keys of the ridge", "", ""] },
    { line: 2, cells: ["Who", "Until", "Password"] },
    { line: 3, cells: ["Orla", "01/02/2027", "•••"] },
    { line: 4, cells: ["Total", "1", ""] },
  ],
  remembered: false,
  made: null as object | null,
};

async function chosen() {
  const { shown } = await mounted(ImportPage, { provider: "AAAA-BBBB" });
  const input = shown.get("input[type=file]");
  Object.defineProperty(input.element, "files", { value: [new File(["Who\n"], "keys.csv")] });
  await input.trigger("change");
  await flushPromises();
  return shown;
}
const said = (sent: { path: string; query: Record<string, string> }[]) =>
  sent
    .filter((one) => one.path.endsWith("import-preview"))
    .map((one) => JSON.parse(one.query.form || "null"));

describe("importing a list", () => {
  it("shows the sheet as it is, with what is left out and why, and begins only when someone says so", async () => {
    const over = {
      ref: "CCCC",
      state: "done",
      total: 1,
      done: 1,
      counts: outcome.counts,
      trouble: "",
      finished_at: "2026-05-10T12:00:00Z",
    };
    const sent = service({
      ...ABOUT,
      [LOOK]: outcome,
      [BEGIN]: { ...outcome, made: over },
      "GET /imports/CCCC": over,
    });
    const shown = await chosen();
    expect(shown.text()).toContain("looks like a total");
    expect(shown.text()).toContain("left out: it holds secrets");
    expect(shown.text()).toContain("It changes 1 new");
    expect(sent.some((one) => one.path.endsWith("/imports"))).toBe(false);
    await shown.get("button.button-act").trigger("click");
    await flushPromises();
    expect(JSON.parse(sent.find((one) => one.path.endsWith("/imports"))!.query.form!)).toEqual(form);
    expect(shown.text()).toContain("Imported: 1 new");
  });

  it("looks again with what someone says of a column, and keeps what was proposed for the others", async () => {
    const sent = service({ ...ABOUT, [LOOK]: outcome });
    const shown = await chosen();
    await shown.get("select[aria-label='What Until is']").setValue("basis");
    await flushPromises();
    expect(said(sent)).toEqual([null, { ...form, columns: { Who: "party", Until: "basis" } }]);
  });

  it("asks which number is the day where nobody can tell, and imports nothing before", async () => {
    const asks = {
      ...outcome,
      columns: outcome.columns.map((one) => ({ ...one, asks: one.header === "Until" })),
      complaints: [{ line: 2, column: "Until", problem: "either number may be the day" }],
    };
    const sent = service({ ...ABOUT, [LOOK]: asks });
    const shown = await chosen();
    expect(shown.find("button.button-act").exists()).toBe(false);
    await shown.get("select[aria-label='Which number is the day in Until']").setValue("day-first");
    await flushPromises();
    expect(said(sent).at(-1)).toEqual({ ...form, orders: { Until: "day-first" } });
  });

  it("takes a line that was left out, and leaves one out, when someone says so", async () => {
    const sent = service({ ...ABOUT, [LOOK]: outcome });
    const shown = await chosen();
    await shown.get("button[aria-label='Take line 4']").trigger("click");
    await flushPromises();
    await shown.get("button[aria-label='Leave out line 3']").trigger("click");
    await flushPromises();
    expect(said(sent).slice(1)).toEqual([
      { ...form, take: [4] },
      { ...form, skip: [3] },
    ]);
  });

  it("says what is wrong with a file that is no list", async () => {
    service({
      ...ABOUT,
      [LOOK]: problem(400, "malformed", "The list cannot be read: it is not text. Nothing was changed."),
    });
    const shown = await chosen();
    expect(shown.text()).toContain("it is not text");
  });
});
