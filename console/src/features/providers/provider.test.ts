import { describe, expect, it } from "vitest";
import type { Provider } from "@/api/client";
import { standing } from "./provider";

const READ = { state: "complete", seen: 9, total: 9, withheld: 0, trouble: "", counts: {}, remarks: [] };

function provider(more: Record<string, unknown>): Provider {
  return {
    by_hand: false,
    paused: false,
    stale: false,
    worn_off: 0,
    latest: READ,
    ...more,
  } as unknown as Provider;
}

describe("how a provider stands", () => {
  it.each([
    [{}, "complete", false],
    [{ stale: true }, "too old", true],
    [{ paused: true }, "reading is paused", true],
    [{ latest: null }, "not read yet", true],
    [{ latest: { ...READ, state: "queued" }, stale: true }, "will be read now", false],
    [{ latest: { ...READ, state: "running" } }, "is being read", false],
    [{ latest: { ...READ, state: "failed" } }, "failed", true],
    [{ latest: { ...READ, state: "partial" } }, "broke off", true],
    [{ latest: { ...READ, withheld: 60 } }, "not believed", true],
    [{ by_hand: true, latest: null }, "recorded by hand", false],
    [{ by_hand: true, latest: null, worn_off: 3 }, "3 not vouched for", true],
  ])("%o", (more, text, grave) => {
    expect(standing(provider(more))).toEqual({ text, grave });
  });
});
