import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { computed, defineComponent, h, ref, type Ref } from "vue";
import type { Round } from "@/api/client";
import { mounted, problem, service, type Sent } from "@/testing/mounted";
import { useRoundItems } from "./useRoundItems";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const ITEMS = "GET /rounds/RRRR-RRRR/items";

/** A round of 7 items, of which 3 and 6 are one's own, answered three at a time. */
class Service {
  items = [1, 2, 3, 4, 5, 6, 7].map((place) => ({ place, version: 1, outcome: "undecided" }));
  down = false;

  answer = ({ query }: Sent) => {
    if (this.down) return problem(502, "down", "The service does not answer.");
    const wanted = this.items.filter(
      (one) => one.place > Number(query.cursor ?? 0) && (query.mine !== "true" || one.place % 3 === 0),
    );
    const page = wanted.slice(0, 3).map((one) => ({ ...one }));
    return { items: page, next: wanted.length > 3 ? String(page.at(-1)?.place) : null };
  };

  decide(...places: number[]): void {
    for (const one of this.items.filter(({ place }) => places.includes(place))) {
      one.version += 1;
      one.outcome = "kept";
    }
  }

  get round(): Round {
    const outcomes: Record<string, number> = {};
    for (const { outcome } of this.items) outcomes[outcome] = (outcomes[outcome] ?? 0) + 1;
    return { outcomes, count: this.items.length } as Round;
  }
}

async function reading() {
  const there = new Service();
  const sent = service({ [ITEMS]: there.answer });
  const round: Ref<Round | undefined> = ref(there.round);
  let made!: ReturnType<typeof useRoundItems>;
  const component = defineComponent(() => {
    made = useRoundItems(
      computed(() => "RRRR-RRRR"),
      round,
    );
    return () => h("p");
  });
  await mounted(component);
  for (let turn = 0; turn < 9; turn++) await flushPromises();
  const asked = () => sent.splice(0).map((one) => `${one.query.mine} ${one.query.cursor ?? "-"}`);
  const settled = async () => {
    round.value = there.round;
    for (let turn = 0; turn < 9; turn++) await flushPromises();
  };
  const places = () => made.items.value.map((one) => one.place);
  return { there, made, asked, settled, places };
}

describe("the items of a round", () => {
  it("are read page by page, those that wait for oneself before all others", async () => {
    const { made, asked, places } = await reading();
    expect(asked()).toEqual(["true -", "false -", "false 3", "false 6"]);
    expect(places()).toEqual([1, 2, 3, 4, 5, 6, 7]);
    expect(made.complete.value).toBe(true);
  });

  it("are asked for again only where something was decided", async () => {
    const { there, made, asked, settled } = await reading();
    asked();
    there.decide(5);
    await made.refresh([5]);
    await settled();
    expect(asked()).toEqual(["false 3"]);
    expect(made.items.value.at(4)?.outcome).toBe("kept");
  });

  it("are all read again once the round shows that somebody else has decided, and no more than once", async () => {
    const { there, made, asked, settled } = await reading();
    asked();
    there.decide(1, 7);
    await settled();
    expect(asked()).toHaveLength(4);
    expect(made.items.value.filter((one) => one.outcome === "kept").map((one) => one.place)).toEqual([1, 7]);
    await settled();
    expect(asked()).toEqual([]);
  });

  it("stay to be seen where they cannot be read again, which is said and can be tried again", async () => {
    const { there, made, settled, places } = await reading();
    there.down = true;
    there.decide(2);
    await settled();
    expect(made.error.value?.message).toContain("does not answer");
    expect(places()).toHaveLength(7);
    there.down = false;
    await made.read();
    expect([made.error.value, made.items.value.at(1)?.outcome]).toEqual([null, "kept"]);
  });
});
