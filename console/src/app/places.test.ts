import { describe, expect, it } from "vitest";
import { isHere, KEYS } from "./places";

describe("the keys of places", () => {
  it("lead to one place each", () => {
    expect(new Set(KEYS).size).toBe(KEYS.length);
    expect(KEYS.every((key) => /^[a-z]$/.test(key))).toBe(true);
  });
});

describe("where one is", () => {
  it("is the place to which a page belongs, and no other", () => {
    expect(isHere("/", "/")).toBe(true);
    expect(isHere("/", "/inventory")).toBe(false);
    expect(isHere("/reviews", "/rounds/7Q4K-BRM2")).toBe(true);
    expect(isHere("/orders", "/batches/7Q4K-BRM2")).toBe(true);
    expect(isHere("/settings", "/webhooks")).toBe(true);
    expect(isHere("/parties", "/parties/7Q4K-BRM2/leaving")).toBe(false);
    expect(isHere("/leavers", "/parties/7Q4K-BRM2/leaving")).toBe(true);
    expect(isHere("/log", "/logs")).toBe(false);
  });
});
