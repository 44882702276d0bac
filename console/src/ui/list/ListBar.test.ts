import { enableAutoUnmount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { mounted, service, settled } from "@/testing/mounted";
import ListBar from "./ListBar.vue";
import { ENTRIES } from "@/features/inventory/filters";

enableAutoUnmount(afterEach);
beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

async function bar(filter: Record<string, string>) {
  service({ "GET /views": { items: [] } });
  return (await mounted(ListBar, { kind: ENTRIES, filter })).shown;
}

describe("the bar over a list", () => {
  it("shows every filter as a chip, and takes away the one that is closed", async () => {
    const shown = await bar({ account: "Gate", flagged: "true" });
    const close = shown.findAll("button[aria-label^='Remove the filter']");
    expect(close).toHaveLength(2);
    expect(shown.text()).toContain("Gate");
    await close.find((one) => one.attributes("aria-label")?.includes("Gate"))!.trigger("click");
    expect(shown.emitted("change")).toEqual([[{ flagged: "true" }]]);
  });

  it("searches once nobody types any more, and only for the last text", async () => {
    const shown = await bar({ kind: "app" });
    const search = shown.get("input[type=search]");
    await search.setValue("br");
    await search.setValue(" brightmere ");
    expect(shown.emitted("change")).toBeUndefined();
    await settled(250);
    expect(shown.emitted("change")).toEqual([[{ kind: "app", q: "brightmere" }]]);
  });

  it("follows the address when it changes elsewhere", async () => {
    const shown = await bar({ q: "orla" });
    await shown.setProps({ filter: { q: "dov" } });
    expect((shown.get("input[type=search]").element as HTMLInputElement).value).toBe("dov");
  });
});
