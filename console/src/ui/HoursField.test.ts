import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import HoursField from "./HoursField.vue";

const field = (text: string) => {
  const made = mount(HoursField, {
    props: {
      label: "Hours",
      modelValue: text,
      "onUpdate:modelValue": (said: string) => made.setProps({ modelValue: said }),
    },
    attachTo: document.body,
  });
  return made;
};

describe("hours of the week", () => {
  it("are drawn by keyboard, and written as they are drawn", async () => {
    const made = field("mon 08:00-09:00");
    await made.get("button").trigger("click");
    const week = made.get('[role="grid"]');
    expect(week.findAll('[aria-selected="true"]').map((cell) => cell.attributes("aria-label"))).toEqual([
      "Monday 08:00",
    ]);
    for (const key of ["ArrowDown", "ArrowRight", " "]) await week.trigger("keydown", { key });
    expect(made.props("modelValue")).toBe("mon 08:00-09:00 + tue 01:00-02:00");
  });

  it("are drawn by a stroke that does to each hour what it did to the first", async () => {
    const made = field("");
    await made.get("button").trigger("click");
    const [first, second, third] = made.findAll('[role="gridcell"]');
    await first?.trigger("pointerdown");
    await second?.trigger("pointerenter", { buttons: 1 });
    await third?.trigger("pointerenter", { buttons: 0 });
    expect(made.props("modelValue")).toBe("mon 00:00-02:00");
  });

  it("hold as they are typed where they cannot be drawn", async () => {
    const made = field("mon 08:30-09:00");
    await made.get("button").trigger("click");
    expect(made.find('[role="grid"]').exists()).toBe(false);
    expect(made.get('[role="status"]').text()).toContain("cannot be drawn");
  });
});
