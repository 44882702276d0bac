import type { Flag } from "@/api/client";
import { SEVERITIES } from "@/api/words";
import type { Severity } from "@/ui/notch";

export interface Group {
  name: string;
  title: string;
  severity: Severity;
  worst: number;
  flags: Flag[];
}

const rank = (flag: Flag): number => SEVERITIES.indexOf(flag.severity) + 1;

/** Flags put together by their rule, or by the account they are on: the worst first, then the largest. */
export function grouped(flags: Flag[], by: "rule" | "account"): Group[] {
  const found = new Map<string, Group>();
  for (const flag of flags) {
    const name = by === "rule" ? flag.rule : flag.account;
    const title = by === "rule" ? flag.title : flag.account || "On a party, wherever it has access";
    const group = found.get(name) ?? { name, title, severity: flag.severity, worst: 0, flags: [] };
    group.flags.push(flag);
    if (rank(flag) > group.worst) {
      group.worst = rank(flag);
      group.severity = flag.severity;
    }
    found.set(name, group);
  }
  for (const group of found.values())
    group.flags.sort((one, other) => rank(other) - rank(one) || other.risk - one.risk);
  return [...found.values()].sort(
    (one, other) =>
      other.worst - one.worst ||
      other.flags.length - one.flags.length ||
      one.title.localeCompare(other.title),
  );
}
