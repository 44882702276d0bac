import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import ReviewDesk from "./ReviewDesk.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const round = { ref: "RRRR-RRRR", state: "open", paused_at: null, count: 3, review: { name: "Guides" } };
function item(place: number, more: object = {}) {
  const party = { name: `Guide ${place}`, addresses: [`guide${place}@kestrelridge.example`], kind: "person" };
  const given = { given_at: "2026-01-01T00:00:00Z", last_used: null, use_known: true, ends_at: null };
  return {
    place,
    version: place + 1,
    group: "alike",
    outcome: "undecided",
    own: false,
    advice: "keep",
    advice_why: "Nothing suggests a change.",
    needs_reason: "",
    choices: ["keep", "narrow", "end-on", "end-now", "pass-on"],
    narrower: "",
    reviewer: "Ines Okoro",
    decision: null,
    last: null,
    entry: {
      ref: `EEEE-000${place}`,
      state: "live",
      powers: ["view"],
      used_powers: null,
      party,
      reviewed_at: [],
      kind: "delegate",
      ...given,
    },
    facts: {
      party: party.name,
      account: "Bookings",
      provider: "Ticket Desk",
      level: "guide",
      kind: "delegate",
      resources: [],
      powers: ["view"],
      risk: 1,
      flags: [],
      outside: false,
      given_by: "",
      ...given,
    },
    ...more,
  };
}
const DECISIONS = "POST /rounds/RRRR-RRRR/decisions";
const PLAN = "POST /rounds/RRRR-RRRR/plan";
const named = {
  entry: { id: "1", ref: "EEEE-0000", name: "Guide 0 on Bookings" },
  text: "One payment depends on it.",
};
const plan = {
  count: 1,
  looked_at: 1,
  ready: 1,
  refused: [],
  consequences: [{ kind: "dependency", severity: "high", text: named.text, times: 1, entries: [named] }],
};

async function desk(items: object[], answers: Record<string, unknown> = { [DECISIONS]: { decided: 1 } }) {
  const sent = service({ [PLAN]: plan, ...answers });
  const { shown } = await mounted(ReviewDesk, { round, items });
  const button = (name: string) => shown.findAll("button").find((one) => one.text().startsWith(name))!;
  const decided = () => sent.filter((one) => one.path.endsWith("/decisions")).map((one) => one.body);
  const foreseen = () => sent.filter((one) => one.path.endsWith("/plan")).map((one) => one.body);
  return { shown, button, decided, foreseen };
}

describe("the desk of a round", () => {
  it("shows what a decision would bring about before it is taken, for all that it is about", async () => {
    const { shown, button, foreseen, decided } = await desk([item(0), item(1)]);
    await button("Keep").trigger("focus");
    expect(foreseen()).toEqual([]);
    await button("End now").trigger("click");
    await flushPromises();
    expect(foreseen()).toEqual([{ places: [0], choice: "end-now", level: "", until: null }]);
    expect(shown.text()).toContain("One payment depends on it.");
    await shown.get("input[type=checkbox]").setValue(true);
    await flushPromises();
    expect(foreseen().at(-1)).toMatchObject({ places: [0, 1] });
    expect(decided()).toEqual([]);
  });

  it("keeps at once what needs no reason, with the version that was shown, and goes on to the next", async () => {
    const { shown, button, decided } = await desk([item(0), item(1)]);
    await button("Keep").trigger("click");
    await flushPromises();
    expect(decided()).toMatchObject([{ places: [0], choice: "keep", versions: { "0": 1 } }]);
    expect(shown.emitted("decided")).toHaveLength(1);
    expect(shown.get("h2").text()).toContain("Guide 1");
  });

  it("asks for a reason where keeping goes against the advice, and sends nothing before", async () => {
    const { shown, button, decided } = await desk([item(0, { needs_reason: "It goes against the advice." })]);
    await button("Keep").trigger("click");
    await flushPromises();
    expect(decided()).toEqual([]);
    expect(button("Decide").attributes("disabled")).toBeDefined();
    await shown.get("input[name=reason]").setValue("Still needed");
    await shown.get("form").trigger("submit");
    await flushPromises();
    expect(decided()).toMatchObject([{ choice: "keep", reason: "Still needed" }]);
  });

  it("wants a day for a last day, and a level for narrowing, the one that is advised first", async () => {
    const plan = { levels: ["visitor", "guide"] };
    const { shown, button, decided } = await desk([item(0, { narrower: "visitor" })], {
      [DECISIONS]: { decided: 1 },
      "GET /entries/EEEE-0000/plan": plan,
    });
    await button("Last day").trigger("click");
    expect(button("Decide").attributes("disabled")).toBeDefined();
    await button("Narrow").trigger("click");
    await flushPromises();
    expect((shown.get("select").element as HTMLSelectElement).value).toBe("visitor");
    await shown.get("form").trigger("submit");
    await flushPromises();
    expect(decided()).toMatchObject([{ choice: "narrow", level: "visitor", until: null, to: "" }]);
  });

  it("decides alike items together only if that is ticked, never one's own", async () => {
    const { shown, button, decided } = await desk([item(0), item(1), item(2, { own: true })]);
    expect(shown.text()).toContain("the same for one other that is alike");
    await shown.get("input[type=checkbox]").setValue(true);
    await button("End now").trigger("click");
    await shown.get("form").trigger("submit");
    await flushPromises();
    expect(decided()).toMatchObject([{ places: [0, 1], choice: "end-now" }]);
  });

  it("offers nobody a decision on their own access, nor in a round that is paused", async () => {
    const own = await desk([item(0, { own: true })]);
    expect(own.shown.text()).toContain("someone else decides about it");
    expect(own.button("Keep")).toBeUndefined();
    const { shown } = await mounted(ReviewDesk, {
      round: { ...round, paused_at: "2026-01-01T00:00:00Z" },
      items: [item(0)],
    });
    expect(shown.find("[aria-label=Decision]").exists()).toBe(false);
  });

  it("stays where it is and says why when a decision is refused", async () => {
    const { shown, button } = await desk([item(0), item(1)], {
      [DECISIONS]: () => problem(409, "changed", "Someone has decided it meanwhile."),
    });
    await button("Keep").trigger("click");
    await flushPromises();
    expect(shown.text()).toContain("Someone has decided it meanwhile.");
    expect(shown.get("h2").text()).toContain("Guide 0");
  });
});
