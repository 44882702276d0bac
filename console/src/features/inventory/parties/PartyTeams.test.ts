import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { mounted, service } from "@/testing/mounted";
import MemberPanel from "./MemberPanel.vue";
import PartyTeams from "./PartyTeams.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const ref = (name: string) => ({ id: name, ref: name, name });
const membership = (team: string, member: string, order = "") => ({
  id: `${team} ${member}`,
  team: ref(team),
  member: ref(member),
  kind: "person",
  provider: ref("Roll"),
  since: null,
  removable: true,
  order,
});
const plan = {
  action: "remove-member",
  team: ref("Crew"),
  member: { ...ref("Orla"), kind: "person", addresses: [], outside: false },
  subject: "Orla (user:orla)",
  provider: "Roll",
  consequences: [{ kind: "loses", severity: "low", text: "Orla can no longer view on Gate." }],
  steps: [{ call: "remove-member", text: "Ask Roll to remove Orla.", until: null, at: null, said: "" }],
  stop: "",
  digest: "d",
};
const PLAN = "GET /teams/Crew/members/Orla/plan";

describe("the teams of a party", () => {
  it("lists members of a team and the teams it is in, with the order that is in progress", async () => {
    const there = {
      members: [membership("Crew", "Orla"), membership("Crew", "Dov", "AAAA-BBBB")],
      teams: [],
    };
    service({ "GET /parties/Crew/memberships": there }, ["teams.order"]);
    const { shown } = await mounted(PartyTeams, { party: "Crew", name: "Crew", kind: "team" });
    await flushPromises();
    expect(shown.text()).toContain("order AAAA-BBBB");
    expect(shown.text()).toContain("Crew is in no team");
    expect(shown.findAll("button").map((one) => one.text())).toContain("Remove…");
  });

  it("has the service look where there are more than a page, and still says what the team is in", async () => {
    const there = ({ query }: { query: Record<string, string> }) => ({
      members: [membership("Crew", "Orla")],
      teams: query.q ? [] : [membership("All hands", "Crew")],
      next: query.q ? null : "more",
    });
    const sent = service({ "GET /parties/Crew/memberships": there }, []);
    const { shown } = await mounted(PartyTeams, { party: "Crew", name: "Crew", kind: "team" });
    await flushPromises();
    const box = shown.find("input[type=search]");
    expect(shown.text()).toContain("More than can be shown");
    await box.setValue("rla");
    await flushPromises();
    expect(sent.at(-1)?.query.q).toBe("rla");
    expect(shown.text()).toContain("All hands");
    expect(shown.text()).not.toContain("in no team");
  });

  it("offers nothing to whoever may only read", async () => {
    service({ "GET /parties/Crew/memberships": { members: [membership("Crew", "Orla")], teams: [] } }, []);
    const { shown } = await mounted(PartyTeams, { party: "Crew", name: "Crew", kind: "team" });
    await flushPromises();
    expect(shown.find("button").exists()).toBe(false);
    expect(shown.find("form").exists()).toBe(false);
  });
});

describe("the panel of a member", () => {
  it("orders just the plan that was shown", async () => {
    const sent = service({ [PLAN]: plan, "POST /teams/Crew/members/Orla/orders": { ref: "AAAA" } }, [
      "teams.order",
    ]);
    const { shown } = await mounted(MemberPanel, { team: "Crew", member: "Orla", action: "remove-member" });
    await flushPromises();
    expect(shown.text()).toContain("Orla (user:orla)");
    const button = shown.findAll("button").find((one) => one.text() === "Remove from team")!;
    await button.trigger("click");
    await flushPromises();
    expect(sent.find((one) => one.method === "POST")).toMatchObject({
      body: { action: "remove-member", digest: "d" },
    });
  });

  it("orders nothing while someone would be locked out", async () => {
    service({ [PLAN]: { ...plan, stop: "Orla is the last one." } }, ["teams.order"]);
    const { shown } = await mounted(MemberPanel, { team: "Crew", member: "Orla", action: "remove-member" });
    await flushPromises();
    const button = shown.findAll("button").find((one) => one.text() === "Remove from team")!;
    expect(button.attributes("disabled")).toBeDefined();
  });
});
