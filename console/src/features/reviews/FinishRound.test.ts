import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import FinishRound from "./FinishRound.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const round = { ref: "RRRR-RRRR", count: 12, review: { name: "Administrators" } };
const named = (n: number, text: string) => ({
  entry: { id: String(n), ref: `EEEE-000${n}`, name: `Guide ${n} on Bookings` },
  text,
});
const plan = {
  count: 2,
  looked_at: 2,
  ready: 1,
  refused: [{ entry: named(2, "").entry, why: "Together this takes away everyone." }],
  consequences: [
    {
      kind: "dependency",
      severity: "high",
      text: "a",
      times: 2,
      entries: [named(1, "The rent depends on it."), named(2, "The phone depends on it.")],
    },
    {
      kind: "effect",
      severity: "low",
      text: "It takes effect at once.",
      times: 2,
      entries: [named(1, "It takes effect at once."), named(2, "It takes effect at once.")],
    },
  ],
};

async function panel(answers: Record<string, unknown>) {
  const sent = service({ "POST /rounds/RRRR-RRRR/plan": plan, ...answers });
  const { shown } = await mounted(FinishRound, { round });
  const act = () => shown.findAll("button").find((one) => one.text().startsWith("Finish"))!;
  return {
    shown,
    act,
    finished: () => sent.filter((one) => one.path.endsWith("/finish")).map((one) => one.body),
  };
}

describe("finishing a round", () => {
  it("names what is grave entry by entry, and what is not possible", async () => {
    const { shown } = await panel({});
    expect(shown.text()).toContain("Guide 1 on Bookings. The rent depends on it.");
    expect(shown.text()).toContain("Guide 2 on Bookings. The phone depends on it.");
    expect(shown.text().match(/It takes effect at once/g)).toHaveLength(1);
    expect(shown.text()).toContain("Together this takes away everyone.");
  });

  it("sends nothing before the number of its orders was typed, and then that number", async () => {
    const { shown, act, finished } = await panel({ "POST /rounds/RRRR-RRRR/finish": { ref: "RRRR-RRRR" } });
    expect(act().attributes("disabled")).toBeDefined();
    await shown.get("input[name=count]").setValue("3");
    expect(act().attributes("disabled")).toBeDefined();
    await shown.get("input[name=count]").setValue("2");
    await act().trigger("click");
    await flushPromises();
    expect(finished()).toEqual([{ count: 2 }]);
    expect(shown.emitted("finished")).toHaveLength(1);
  });

  it("asks for no number where everything is kept, and stays where the service refuses", async () => {
    const { shown, act, finished } = await panel({
      "POST /rounds/RRRR-RRRR/plan": { ...plan, count: 0, refused: [], consequences: [] },
      "POST /rounds/RRRR-RRRR/finish": problem(412, "changed", "There are 3 of them now."),
    });
    expect(shown.find("input[name=count]").exists()).toBe(false);
    await act().trigger("click");
    await flushPromises();
    expect(finished()).toEqual([{ count: 0 }]);
    expect(shown.text()).toContain("There are 3 of them now.");
    expect(shown.emitted("finished")).toBeUndefined();
  });
});
