import { enableAutoUnmount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service, settled, type Sent } from "@/testing/mounted";
import PolicyEditor from "./PolicyEditor.vue";

enableAutoUnmount(afterEach);
beforeEach(() => vi.useFakeTimers({ shouldAdvanceTime: true }));
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const TEXT = 'policy = 1\n\n[[rule]]\nid = "crowded"\n';
const trial = {
  lines: [{ rule: "crowded", now: 1, then: 4, appear: 3, go: 0, examples: [] }],
  changes: ["Changes the rule crowded."],
  rules: 1,
  unexplained: [],
};
const wrong = [
  { at: "rule crowded, line 4, column 2", problem: "no field “x”", line: 4, column: 2, hint: "" },
];

async function editor(tried: (sent: Sent) => unknown, may = ["policy.adopt"]) {
  const sent = service(
    {
      "GET /policy": { number: 3, text: TEXT },
      "GET /policy/catalogue": {
        items: [{ path: "account.name", type: "a text", says: "its name", words: [] }],
      },
      "POST /policy/try": tried,
      "POST /policy/adopt": { number: 4, text: `${TEXT}#` },
    },
    may,
  );
  const { shown, router } = await mounted(PolicyEditor);
  await settled();
  const button = (name: string) => shown.findAll("button").find((one) => one.text().startsWith(name))!;
  return { sent, shown, router, button };
}

describe("the policy editor", () => {
  it("tries what is written once nobody types, and adopts it only with a second word", async () => {
    const { sent, shown, button } = await editor(() => trial);
    expect(button("Adopt…").attributes("disabled")).toBeDefined();
    await shown.get("textarea").setValue(`${TEXT}#`);
    expect(button("Adopt…").attributes("disabled"), "what was not tried is not adopted").toBeDefined();
    await settled();
    expect(sent.filter((one) => one.path === "/policy/try").at(-1)?.body).toEqual({ text: `${TEXT}#` });
    await button("Adopt…").trigger("click");
    expect(sent.some((one) => one.path === "/policy/adopt")).toBe(false);
    await shown.get("form input").setValue("Four are a crowd");
    await shown.get("form").trigger("submit");
    await settled();
    expect(sent.find((one) => one.path === "/policy/adopt")?.body).toEqual({
      text: `${TEXT}#`,
      note: "Four are a crowd",
      expected: 3,
    });
  });

  it("names a mistake with its place and lets nobody adopt it", async () => {
    const { shown, button } = await editor(() =>
      problem(422, "invalid", "The policy cannot be used.", wrong),
    );
    await shown.get("textarea").setValue(`${TEXT}x`);
    await settled();
    expect(shown.text()).toContain("1 mistake");
    expect(shown.text()).toContain("no field “x”");
    expect(button("Adopt…").attributes("disabled")).toBeDefined();
  });

  it("goes back to what is in force, and says who may adopt", async () => {
    const { shown, button } = await editor(() => trial, []);
    const area = shown.get("textarea");
    await area.setValue("nothing");
    await button("Discard my changes").trigger("click");
    expect((area.element as HTMLTextAreaElement).value).toBe(TEXT);
    expect(shown.text()).toContain("only managers and owners can adopt them");
  });

  it("finds fields by what they say, and puts them where the cursor stands", async () => {
    const { shown } = await editor(() => trial);
    await shown.get("input[aria-label='Find a field']").setValue("its name");
    await shown.get("dt button").trigger("click");
    expect((shown.get("textarea").element as HTMLTextAreaElement).value).toContain("account.name");
    await shown.get("input[aria-label='Find a field']").setValue("no such thing");
    expect(shown.text()).toContain("No field matches");
  });
});
