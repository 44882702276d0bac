import type { Event } from "@/api/client";
import { moment } from "@/ui/time";

const WHAT: Record<string, string> = {
  "entry.found": "Access found",
  "entry.changed": "Access changed at the provider",
  "entry.ending": "Access is being ended",
  "entry.ended": "Access ended",
  "flag.raised": "Flag raised",
  "flag.changed": "Flag changed",
  "flag.cleared": "Flag cleared",
  "flag.accepted": "Flag accepted",
  "flag.back": "Accepted flag is back",
  "policy.adopted": "Policy adopted",
  "order.given": "Order given",
  "order.told": "Provider told",
  "order.waits": "Order waits",
  "order.stuck": "Order is stuck",
  "order.tried-again": "Order tried again",
  "order.cancelled": "Order called off",
  "order.proved": "Order proved",
  "member.joined": "Joined a team",
  "member.left": "Left a team",
  "reading.asked": "Reading asked for",
  "reading.complete": "Reading complete",
  "reading.partial": "Reading broke off",
  "reading.failed": "Reading failed",
  "provider.added": "Provider added",
  "person.added": "Person added",
  "person.signed-in": "Signed in",
  "token.made": "Token made",
  "token.revoked": "Token revoked",
};

/** An event in words; one that is not known here is shown as it is. */
export function told(event: Event, zone: string): { what: string; detail: string } {
  const { act, facts } = event.content as { act: string; facts: Record<string, unknown> };
  return { what: WHAT[act] ?? act, detail: detail(facts, zone) };
}

const ID = /^([0-9a-f]{8}-[0-9a-f]{4}-7|[0-9a-f]{64}$)/;
const INSTANT = /^\d{4}-\d\d-\d\dT\d\d:\d\d/;

/** The facts in one line: without ids, links, empty words and zeros, and with what is nested laid flat. */
function detail(facts: Record<string, unknown>, zone: string): string {
  const said = Object.entries(facts).flatMap(([name, value]): string[] => {
    if (
      value === "" ||
      value === null ||
      value === 0 ||
      value === false ||
      (typeof value === "string" && ID.test(value))
    )
      return [];
    if (Array.isArray(value)) return value.length ? [`${words(name)} ${value.join(", ")}`] : [];
    if (typeof value === "object") {
      const inner = detail(value as Record<string, unknown>, zone);
      return inner ? [name === "facts" ? inner : `${words(name)}: ${inner}`] : [];
    }
    const text = String(value);
    return [`${words(name)} ${INSTANT.test(text) ? moment(text, zone) : text}`];
  });
  return said.join(" · ");
}

function words(name: string): string {
  return name.replaceAll("_", " ");
}
