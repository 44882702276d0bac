import { describe, expect, it } from "vitest";
import type { Flag } from "@/api/client";
import { told } from "./facts";
import { grouped } from "./grouped";

const flag = (rule: string, account: string, severity: Flag["severity"], risk = 0): Flag =>
  ({ rule, title: rule, account, severity, risk }) as Flag;

describe("flags put together", () => {
  const flags = [
    flag("a", "Gate", "low"),
    flag("b", "Gate", "high", 10),
    flag("b", "Mast", "high", 70),
    flag("c", "", "critical"),
    flag("a", "Mast", "low"),
    flag("a", "Mast", "low"),
  ];
  it("come by the worst first, then by how many, and the riskiest first within", () => {
    expect(grouped(flags, "rule").map((g) => [g.name, g.flags.length, g.severity])).toEqual([
      ["c", 1, "critical"],
      ["b", 2, "high"],
      ["a", 3, "low"],
    ]);
    expect(grouped(flags, "rule")[1]?.flags.map((f) => f.risk)).toEqual([70, 10]);
    expect(grouped(flags, "account").map((g) => g.title)).toEqual([
      "On a party, wherever it has access",
      "Mast",
      "Gate",
    ]);
    expect(grouped([], "rule")).toEqual([]);
  });
  it("tell facts as people read them", () => {
    expect(told(["spend", "admit"], "UTC")).toBe("spend, admit");
    expect(told([], "UTC")).toBe("none");
    expect(told("2026-05-10T23:30:00Z", "Europe/London")).toBe("11 May 2026");
    expect([told(true, "UTC"), told(3, "UTC"), told(null, "UTC")]).toEqual(["yes", "3", ""]);
  });
});
