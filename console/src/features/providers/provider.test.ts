import { describe, expect, it } from "vitest";
import type { Provider } from "@/api/client";
import { standing } from "./provider";

describe("how a provider stands", () => {
  it.each([
    ["complete", "complete"],
    ["too-old", "too old"],
    ["paused", "reading is paused"],
    ["reading", "is being read"],
    ["by-hand", "recorded by hand"],
    ["not-vouched-for", "3 not vouched for"],
  ])("%s", (state, text) => {
    expect(standing({ state, worn_off: 3 } as unknown as Provider)).toBe(text);
  });
});
