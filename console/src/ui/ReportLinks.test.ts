import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, service } from "@/testing/mounted";
import ReportLinks from "./ReportLinks.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const asked = { ref: "PPPP", state: "queued", finished_at: null, trouble: "" };

describe("a report to keep", () => {
  it("has its PDF printed by a job, and fetches it once it is there", async () => {
    const assign = vi.spyOn(window.location, "assign").mockImplementation(() => undefined);
    const done = { ...asked, state: "done", finished_at: "2026-05-10T12:00:00Z" };
    const sent = service({ "POST /rounds/RRRR/prints": done });
    const { shown } = await mounted(ReportLinks, { kind: "round", of: "RRRR", over: true });
    await shown.get("button").trigger("click");
    await flushPromises();
    expect(sent.filter((one) => one.method === "POST")).toHaveLength(1);
    expect(assign).toHaveBeenCalledWith("/api/v1/prints/PPPP/file");
  });

  it("says why one could not be printed", async () => {
    const failed = { ...asked, state: "failed", finished_at: "2026-05-10T12:00:00Z", trouble: "no paper" };
    service({ "POST /batches/BBBB/prints": failed });
    const { shown } = await mounted(ReportLinks, { kind: "batch", of: "BBBB", over: false });
    await shown.get("button").trigger("click");
    await flushPromises();
    expect(shown.text()).toContain("could not be printed: no paper");
  });
});
