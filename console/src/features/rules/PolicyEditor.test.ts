import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";
import { mounted, problem, service, settled } from "@/testing/mounted";
import DraftBar from "./DraftBar.vue";
import LimitsTable from "./LimitsTable.vue";
import PolicyEditor from "./PolicyEditor.vue";
import { useSession } from "@/api/session";
import { useDraft } from "./useDraft";

// The editor itself is another library's; here it is a text that can be set.
vi.mock("@/ui/CodeField.vue", () => ({
  default: {
    props: ["modelValue"],
    emits: ["update:modelValue", "cursor"],
    methods: { go() {}, insert() {} },
    template: `<textarea :value="modelValue" @input="$emit('update:modelValue', $event.target.value)" />`,
  },
}));
enableAutoUnmount(afterEach);
beforeEach(() => vi.useFakeTimers({ shouldAdvanceTime: true }));
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const TEXT = 'policy = 1\n\n[limits]\nunused = "90d"          # not used for so long\n';
const line = { rule: "unused", title: "Unused", now: 3, then: 5, appear: 2, go: 0, change: 0, examples: [] };
const trial = {
  number: 4,
  lines: [line],
  limits: [] as object[],
  changes: ["Limit unused: 90 days, now 60 days."],
};
const tried = { name: "unused", value: "60d", says: "not used for so long", used_by: ["unused"] };
const limit = { name: "unused", value: "90d", says: "not used for so long", used_by: ["unused"] };

/** A page of the policy: the bar of the draft above the file and its limits. */
const Pages = defineComponent(() => {
  session = useSession();
  return () => [h(DraftBar), h(PolicyEditor), h(LimitsTable)];
});

async function pages(answers: Record<string, unknown> = {}, may = ["policy.adopt"]) {
  const sent = service(
    {
      "GET /policy": { number: 4, text: TEXT },
      "GET /policy/catalogue": {
        items: [{ path: "account.name", type: "a text", says: "its name", words: [] }],
      },
      "GET /policy/limits": { items: [limit] },
      "POST /policy/try": ({ body }: { body: { text: string } }) => ({
        ...trial,
        limits: [body.text.includes("60d") ? tried : limit],
      }),
      "POST /policy/edit": { text: TEXT.replace("90d", "60d"), changes: [] },
      "POST /policy/adopt": { number: 5, text: "", note: "", by: "", at: "", changes: [] },
      ...answers,
    },
    may,
  );
  const { shown } = await mounted(Pages, {}, "/policy");
  const button = (text: string) => shown.findAll("button").find((one) => one.text().startsWith(text));
  const posted = (path: string) => sent.filter((one) => one.path === path).map((one) => one.body);
  return { shown, button, posted };
}
let session: ReturnType<typeof useSession>;
let useDraftText: () => string | null = () => "";
let discard: () => void = () => undefined;
const Draft = defineComponent({
  setup() {
    const it = useDraft();
    discard = it.discard;
    useDraftText = () => (it.changed.value ? it.text.value : null);
    return () => null;
  },
});
// The draft outlives its pages on purpose: each test begins with none.
beforeEach(async () => {
  service({ "GET /policy": { number: 4, text: TEXT } });
  const { shown } = await mounted(Draft);
  discard();
  await settled();
  shown.unmount();
});

describe("the draft of a policy", () => {
  it("is what is written and what is chosen, tried once nobody types, and adopted only with a second word", async () => {
    const { shown, button, posted } = await pages();
    expect(shown.find("section[aria-label=Draft]").exists()).toBe(false);
    await shown.get("textarea").setValue(TEXT + "#");
    expect(posted("/policy/try")).toEqual([]);
    await settled();
    expect(posted("/policy/try")).toEqual([{ text: TEXT + "#" }]);
    expect(shown.text()).toContain("2 flags would be raised, 0 cleared.");
    const days = shown.get("input[aria-label='not used for so long']");
    await days.setValue("60");
    await settled();
    expect(posted("/policy/edit")).toEqual([
      { text: TEXT + "#", changes: [{ do: "limit", name: "unused", value: "60d" }] },
    ]);
    expect(shown.get("textarea").element.value).toContain('unused = "60d"');
    expect(shown.text()).toContain("+2 −0 flags");
    expect(posted("/policy/adopt")).toEqual([]);
    await button("Look at it")!.trigger("click");
    await shown.get("section[aria-label=Draft] input").setValue("The committee");
    await shown.get("section[aria-label=Draft] form").trigger("submit");
    await flushPromises();
    expect(posted("/policy/adopt")).toEqual([
      { text: TEXT.replace("90d", "60d"), note: "The committee", expected: 4 },
    ]);
    await settled();
    expect(shown.find("section[aria-label=Draft]").exists()).toBe(false);
  });

  it("loses none of two changes that follow each other quickly", async () => {
    const edit = ({ body }: { body: unknown }) => {
      const { text, changes } = body as { text: string | null; changes: { name: string; value: unknown }[] };
      const [one] = changes;
      return { text: `${text ?? TEXT}# ${one?.name} ${String(one?.value)}\n`, changes: [] };
    };
    const number = { name: "crowd", value: 60, says: "too many", used_by: [] };
    const { shown } = await pages({
      "POST /policy/edit": edit as never,
      "GET /policy/limits": { items: [limit, number] },
    });
    void shown.get("input[aria-label='not used for so long']").setValue("60");
    void shown.get("input[aria-label='too many']").setValue("2");
    await settled();
    expect(shown.get("textarea").element.value).toBe(`${TEXT}# unused 60d\n# crowd 2\n`);
  });

  it("is nobody else's: whoever signs in next finds none", async () => {
    const { shown } = await pages({ "DELETE /session": {} });
    await shown.get("textarea").setValue(TEXT + "#");
    expect(shown.find("section[aria-label=Draft]").exists()).toBe(true);
    await session.signOut();
    await settled();
    expect(useDraftText()).toBe(null);
  });

  it("names a mistake with its place and lets nobody adopt it", async () => {
    const wrong = problem(422, "invalid", "The policy cannot be used.", [
      { at: "line 4, column 3", problem: "there is no field “x”", hint: "" },
    ]);
    const { shown, button } = await pages({ "POST /policy/try": () => wrong });
    await shown.get("textarea").setValue("nonsense");
    await settled();
    expect(shown.text()).toContain("It has mistakes.");
    expect(shown.text()).toContain("there is no field “x”");
    await button("Look at it")!.trigger("click");
    expect(button("Adopt it")).toBeUndefined();
    await button("Discard")!.trigger("click");
    expect(shown.get("textarea").element.value).toBe(TEXT);
  });

  it("stays as it was where a change does not fit, and is adopted by nobody who may not", async () => {
    const refused = problem(422, "invalid", "Change 1: there is no limit “unused”. Nothing was changed.");
    const { shown, button, posted } = await pages({ "POST /policy/edit": () => refused }, []);
    await shown.get("input[aria-label='not used for so long']").setValue("60");
    await settled();
    expect(shown.text()).toContain("there is no limit “unused”");
    expect(posted("/policy/try")).toEqual([]);
    await shown.get("textarea").setValue(TEXT + "#");
    await settled();
    await button("Look at it")!.trigger("click");
    expect(shown.text()).toContain("only managers and owners can adopt them");
    expect(button("Adopt it")).toBeUndefined();
  });
});
