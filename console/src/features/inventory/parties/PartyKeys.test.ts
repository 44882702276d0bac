import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, service } from "@/testing/mounted";
import PartyKeys from "./PartyKeys.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const key = (id: string, provider: string, key: string) => ({
  provider: { id, ref: id, name: provider },
  key,
  name: "",
  addresses: [],
});

describe("what a party is known as", () => {
  it("parts the key that someone says is another's, and says what becomes of it first", async () => {
    const keys = { items: [key("1", "Ticket Desk", "d-1"), key("2", "Live Sky", "s-1")] };
    const sent = service({ "GET /parties/AAAA/keys": keys, "POST /parties/AAAA/part": {} }, ["parties.join"]);
    const { shown } = await mounted(PartyKeys, { party: "AAAA", name: "Orla Finch" });
    await flushPromises();
    await shown.findAll("button")[1]!.trigger("click");
    expect(shown.text()).toContain("becomes a party of its own");
    await shown.get("form").trigger("submit");
    await flushPromises();
    const part = sent.find((one) => one.method === "POST");
    expect(part).toMatchObject({ path: "/parties/AAAA/part", body: { provider: "2", key: "s-1" } });
  });

  it("offers no parting of the only key", async () => {
    service({ "GET /parties/AAAA/keys": { items: [key("1", "Ticket Desk", "d-1")] } }, ["parties.join"]);
    const { shown } = await mounted(PartyKeys, { party: "AAAA", name: "Orla Finch" });
    await flushPromises();
    expect(shown.text()).toContain("d-1");
    expect(shown.find("button").exists()).toBe(false);
  });
});
