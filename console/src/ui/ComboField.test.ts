import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, ref } from "vue";
import ComboField from "./ComboField.vue";

type Choice = { key: string; name: string };
const KNOWN = [
  { key: "a@x.example", name: "a@x.example" },
  { key: "b@x.example", name: "b@x.example" },
];

/** A form with one free field, whose choices are those given whatever is typed. */
function formWith(choices: Choice[]) {
  const chosen = ref<Choice | null>(null);
  const submitted = vi.fn((event: Event) => event.preventDefault());
  const page = mount(
    defineComponent({
      setup: () => () =>
        h("form", { onSubmit: submitted }, [
          h(ComboField<Choice>, {
            label: "To whom",
            free: true,
            chosen: chosen.value,
            choices,
            onType: (text: string) => (chosen.value = text ? { key: text, name: text } : null),
            onChoose: (one: Choice) => (chosen.value = one),
          }),
          h("button", { type: "submit" }, "Next"),
        ]),
    }),
    { attachTo: document.body },
  );
  const input = page.get("input");
  async function type(text: string): Promise<void> {
    await input.trigger("focus");
    await input.setValue(text);
    await flushPromises();
  }
  async function press(key: string): Promise<void> {
    await input.trigger("keydown", { key });
    await new Promise((done) => setTimeout(done));
    await flushPromises();
  }
  return { page, chosen, submitted, type, press };
}

describe("a field with choices that takes what is typed", () => {
  let page: ReturnType<typeof mount> | undefined;
  afterEach(() => page?.unmount());

  it("goes on with the form by one Enter when choices have come, and takes nobody else", async () => {
    const form = formWith(KNOWN);
    page = form.page;
    await form.type("c@x.example");
    expect(form.page.findAll("[role=option]")).toHaveLength(3);
    await form.press("Enter");
    expect(form.chosen.value?.key).toBe("c@x.example");
    expect(form.submitted).toHaveBeenCalledTimes(1);
  });

  it("goes on by one Enter when what is typed is known, too", async () => {
    const form = formWith(KNOWN);
    page = form.page;
    await form.type("b@x.example");
    await form.press("Enter");
    expect(form.chosen.value?.key).toBe("b@x.example");
    expect(form.submitted).toHaveBeenCalledTimes(1);
  });

  it("goes on by one Enter while nothing is listed yet", async () => {
    const form = formWith([]);
    page = form.page;
    await form.type("c@x.example");
    await form.press("Enter");
    expect(form.chosen.value?.key).toBe("c@x.example");
    expect(form.submitted).toHaveBeenCalledTimes(1);
  });

  it("only chooses by Enter once the arrow keys went to somebody", async () => {
    const form = formWith(KNOWN);
    page = form.page;
    await form.type("c@x.example");
    await form.press("ArrowDown");
    await form.press("Enter");
    expect(form.chosen.value?.key).toBe("a@x.example");
    expect(form.submitted).not.toHaveBeenCalled();
  });
});
