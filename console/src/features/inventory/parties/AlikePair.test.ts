import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service } from "@/testing/mounted";
import AlikePair from "./AlikePair.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const side = (ref: string, name: string, key: string) => ({
  party: { id: ref, ref, name, kind: "person", verified: false, publisher: "", outside: true, addresses: [] },
  keys: [
    { provider: { id: "p", ref: "P", name: "Ticket Desk" }, key, name, addresses: ["lise@out.example"] },
  ],
});
const pair = {
  one: side("AAAA", "Lise Hartnell", "d-1"),
  other: side("BBBB", "L. Hartnell", "s-1"),
  reasons: [
    { what: "address", value: "lise@out.example", doubt: "unconfirmed", says: "Both have the address." },
  ],
};

describe("two that are perhaps the same", () => {
  it("shows what each is known by and why they are alike, and joins the second to the first", async () => {
    const sent = service({ "POST /parties/AAAA/join": {} });
    const { shown } = await mounted(AlikePair, { pair, mayDecide: true });
    for (const text of ["d-1", "s-1", "lise@out.example", "Both have the address.", "not confirmed"])
      expect(shown.text()).toContain(text);
    await shown.get("input[name=reason]").setValue("She told me");
    await shown.get("button.button-act").trigger("click");
    await flushPromises();
    expect(sent.at(-1)).toMatchObject({
      path: "/parties/AAAA/join",
      body: { other: "BBBB", reason: "She told me" },
    });
  });

  it("says why two cannot be joined, and keeps what was written", async () => {
    service({ "POST /parties/AAAA/keep-apart": problem(409, "conflict", "Both are Lise already.") });
    const { shown } = await mounted(AlikePair, { pair, mayDecide: true });
    await shown.get("input[name=reason]").setValue("Sisters");
    await shown.findAll("button.button")[1]!.trigger("click");
    await flushPromises();
    expect(shown.text()).toContain("Both are Lise already.");
    expect((shown.get("input[name=reason]").element as HTMLInputElement).value).toBe("Sisters");
  });

  it("offers no decision to whoever may not decide", async () => {
    service({});
    const { shown } = await mounted(AlikePair, { pair, mayDecide: false });
    expect(shown.find("button").exists()).toBe(false);
  });
});
