import { mount } from "@vue/test-utils";
import { describe, expect, it, vi } from "vitest";
import { defineComponent } from "vue";
import { useShortcuts, type Shortcuts } from "./shortcuts";

function listening(shortcuts: Shortcuts) {
  return mount(
    defineComponent({
      setup: () => useShortcuts(shortcuts),
      template: "<input />",
    }),
    { attachTo: document.body },
  );
}
function press(key: string, on: EventTarget = window): KeyboardEvent {
  const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true });
  on.dispatchEvent(event);
  return event;
}

describe("keys", () => {
  it("that follow another one mean both together, for every listener, and nothing by themselves", () => {
    const [goes, passes] = [vi.fn(), vi.fn()];
    const shell = listening({ "g p": goes });
    const desk = listening({ p: passes });
    press("g");
    press("p");
    expect([goes.mock.calls.length, passes.mock.calls.length]).toEqual([1, 0]);
    expect(press("p").defaultPrevented).toBe(true);
    expect([goes.mock.calls.length, passes.mock.calls.length]).toEqual([1, 1]);
    shell.unmount();
    desk.unmount();
  });

  it("do nothing while someone types, except Escape", () => {
    const [ends, leaves] = [vi.fn(), vi.fn()];
    const desk = listening({ x: ends, Escape: leaves });
    const field = desk.find("input").element;
    expect(press("x", field).defaultPrevented).toBe(false);
    press("Escape", field);
    expect([ends.mock.calls.length, leaves.mock.calls.length]).toEqual([0, 1]);
    desk.unmount();
  });
});
