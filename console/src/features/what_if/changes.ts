/** The changes of a proposal, in words. */

export type Change = Record<string, unknown> & { do: string };

export interface Statement {
  effect: "allow" | "deny";
  to: Record<string, unknown>[];
  powers: string[];
  networks?: string[];
  hours?: string[];
  level?: string;
}

/** Whom a statement is about, as one line: anyone, @a-domain, or an address, several of them by semicolons. */
export function namedIn(one: Statement): string {
  return one.to
    .map((to) => (to.anyone ? "anyone" : to.domain ? `@${text(to.domain)}` : text(to.party)))
    .join("; ");
}

/** What such a line means. */
export function heldBy(line: string): Statement["to"] {
  return line
    .split(";")
    .map((one) => one.trim())
    .filter(Boolean)
    .map((one) =>
      one.toLowerCase() === "anyone"
        ? { anyone: true }
        : one.startsWith("@") && one.includes(".")
          ? { domain: one.slice(1) }
          : { party: one },
    );
}

const FEW = 3;

/** What a statement says, as one line. */
function statementSaid(one: Statement): string {
  const limits = [
    one.hours ? one.hours.join(" + ") || "at no hour" : "",
    one.networks ? `from ${one.networks.join(", ") || "nowhere"}` : "",
  ].filter(Boolean);
  const may = `${one.effect === "deny" ? "may not" : "may"} ${one.powers.join(", ")}`;
  return `${namedIn(one)} ${may}${limits.length ? ` (${limits.join(", ")})` : ""}`;
}

const text = (value: unknown): string => (typeof value === "string" ? value : "");

/** What a change does, as one line. */
export function saidOf(change: Change): string {
  switch (change.do) {
    case "give": {
      const what =
        text(change.level) || text(change.task) || (change.needs as string[] | undefined)?.join(", ");
      const until = text(change.until) ? ` until ${text(change.until)}` : ", without an end";
      return `${text(change.name) || text(change.to)} is given ${what ?? ""} on ${text(change.account)}${until}`;
    }
    case "end":
      return `Entry ${text(change.entry)} ends`;
    case "narrow":
      return `Entry ${text(change.entry)} is narrowed${text(change.level) ? ` to “${text(change.level)}”` : ""}`;
    case "pause":
      return `Entry ${text(change.entry)} is paused`;
    case "resume":
      return `Entry ${text(change.entry)} is resumed`;
    case "end-on":
      return `Entry ${text(change.entry)} ends with ${text(change.until)}`;
    case "extend": {
      const lifts = (change.lifts as string[] | undefined) ?? [];
      const more = [
        text(change.until) ? `until ${text(change.until)}` : "",
        lifts.includes("end") ? "without an end" : "",
        ...((change.resources as string[] | undefined) ?? []).map((part) => `also on ${part}`),
        lifts.includes("parts") ? "on the whole account" : "",
        text(change.hours) || (lifts.includes("hours") ? "at all hours" : ""),
        text(change.level) ? `as “${text(change.level)}”` : "",
      ].filter(Boolean);
      return `Entry ${text(change.entry)} is extended${more.length ? `: ${more.join(", ")}` : ""}`;
    }
    case "lock":
      return `${text(change.account)} is ${change.locked ? "locked against being open to anyone" : "unlocked"}`;
    case "share": {
      const statements = (change.statements as Statement[] | undefined) ?? [];
      const part = text(change.resource);
      const what = `${part ? `${part} of ` : ""}${text(change.account)}`;
      if (!statements.length) return `${what} is shared with nobody any more`;
      if (statements.length > FEW) return `${what} is shared by ${statements.length} statements`;
      return `${what}: ${statements.map(statementSaid).join("; ")}`;
    }
    case "policy":
      return "Another policy is adopted";
    default:
      return change.do;
  }
}

/** A change to begin with, of each kind. */
export const BLANK: Record<string, Change> = {
  end: { do: "end", entry: "" },
  narrow: { do: "narrow", entry: "", level: "" },
  pause: { do: "pause", entry: "" },
  "end-on": { do: "end-on", entry: "", until: "" },
  extend: { do: "extend", entry: "", until: "" },
  give: { do: "give", account: "", to: "", task: "look", until: "" },
  lock: { do: "lock", account: "", locked: true },
  share: {
    do: "share",
    account: "",
    resource: "",
    zone: "Europe/London",
    statements: [],
  },
};

/** A proposal as text, or why the text is none. */
export function parsed(source: string): { body?: Record<string, unknown>; trouble: string } {
  try {
    const body: unknown = JSON.parse(source);
    if (typeof body !== "object" || body === null || Array.isArray(body))
      return { trouble: "It is no object." };
    return { body: body as Record<string, unknown>, trouble: "" };
  } catch (error) {
    return { trouble: error instanceof Error ? error.message : "It is not JSON." };
  }
}
