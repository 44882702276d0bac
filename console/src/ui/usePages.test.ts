import { flushPromises } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import { defineComponent, h } from "vue";
import { mounted } from "@/testing/mounted";
import { usePages } from "./usePages";

describe("a list that comes page by page", () => {
  it("holds all that is there so far, and asks for the rest once, by the place where it ended", async () => {
    const asked: (string | undefined)[] = [];
    const { shown: page } = await mounted(
      defineComponent(() => {
        const { items, first, more, hasMore } = usePages(["letters"], (cursor) => {
          asked.push(cursor);
          return Promise.resolve(
            cursor ? { items: ["c"], next: null, total: 3 } : { items: ["a", "b"], next: "b", total: 3 },
          );
        });
        return () =>
          h(
            "button",
            { onClick: more },
            `${items.value.join("")} of ${first.value?.total}, ${hasMore.value}`,
          );
      }),
    );
    await flushPromises();
    expect(page.text()).toBe("ab of 3, true");
    await page.get("button").trigger("click");
    await page.get("button").trigger("click");
    await flushPromises();
    expect(page.text()).toBe("abc of 3, false");
    expect(asked).toEqual([undefined, "b"]);
  });
});
