import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import DecisionList from "./DecisionList.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const PATH = "POST /rounds/RRRR-RRRR/decision-file";

async function sent(answer: unknown, mine = 0) {
  service({ [PATH]: answer });
  const { shown } = await mounted(DecisionList, { round: { ref: "RRRR-RRRR" }, mine });
  const input = shown.get("input[type=file]");
  Object.defineProperty(input.element, "files", { value: [new File(["place,entry,choice\n"], "d.csv")] });
  await input.trigger("change");
  await shown.get("form").trigger("submit");
  await flushPromises();
  return shown;
}

describe("deciding with a list", () => {
  it("says how many were decided, and has the round looked at again", async () => {
    const shown = await sent({ decided: 14 });
    expect(shown.get("[role=status]").text()).toContain("14 decided");
    expect(shown.emitted("decided")).toHaveLength(1);
  });

  it("names every line that cannot be taken, and decides nothing", async () => {
    const errors = [
      { at: "line 3", problem: "item 2 is about entry 7Q4K-BRM2, not 7Q4K-BRM3" },
      { at: "line 9", problem: "item 8 is decided twice" },
    ];
    const shown = await sent(problem(422, "invalid", "2 of 9 lines cannot be taken.", errors));
    expect(shown.get("[role=alert]").text()).toContain("Nothing was decided");
    expect(shown.findAll("li").map((one) => one.text())).toEqual([
      "line 3: item 2 is about entry 7Q4K-BRM2, not 7Q4K-BRM3",
      "line 9: item 8 is decided twice",
    ]);
    expect(shown.emitted("decided")).toBeUndefined();
  });

  it("takes away only what one is asked about, where that is something", async () => {
    service({});
    const { shown } = await mounted(DecisionList, { round: { ref: "RRRR-RRRR" }, mine: 3 });
    expect(shown.get("a").attributes("href")).toMatch(/decision-file\?mine=true$/);
    await shown.get("input[type=checkbox]").setValue(false);
    expect(shown.get("a").attributes("href")).toMatch(/decision-file$/);
    const { shown: ofNobody } = await mounted(DecisionList, { round: { ref: "RRRR-RRRR" }, mine: 0 });
    expect(ofNobody.find("input[type=checkbox]").exists()).toBe(false);
  });
});
