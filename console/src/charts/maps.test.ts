import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import ReachMap from "./ReachMap.vue";
import ShiftMap from "./ShiftMap.vue";

const account = { id: "a1", name: "Gate", what: "Ticket Desk" };

describe("what is drawn", () => {
  it("is said in words for whoever cannot see it", () => {
    const crew = { id: "t1", name: "Saturday crew", what: "team" };
    const steps = [
      { way: null, account, powers: ["view"] },
      { way: crew, account, powers: ["view", "edit"] },
    ];
    const shown = mount(ReachMap, { props: { name: "Orla Finch", sub: "2 ways in", steps } });
    expect(shown.get("svg").attributes("aria-label")).toBe(
      "What Orla Finch can do: directly to Gate: view; Saturday crew to Gate: view, edit",
    );
    const changes = [
      { who: { id: "p1", name: "Orla Finch" }, outside: false, account, gained: ["view"], lost: ["spend"] },
    ];
    expect(mount(ShiftMap, { props: { changes } }).get("svg").attributes("aria-label")).toBe(
      "Orla Finch gains view on Gate; Orla Finch loses spend on Gate",
    );
  });
});
