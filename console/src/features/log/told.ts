import type { Event } from "@/api/client";

const WHAT: Record<string, string> = {
  "entry.found": "Access found",
  "entry.changed": "Access changed at the provider",
  "entry.ending": "Access is being ended",
  "entry.ended": "Access ended",
  "flag.raised": "Flag raised",
  "flag.cleared": "Flag cleared",
  "order.given": "Order given",
  "order.told": "Provider told",
  "order.waits": "Order waits",
  "order.stuck": "Order is stuck",
  "order.tried-again": "Order tried again",
  "order.cancelled": "Order called off",
  "order.proved": "Order proved",
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
export function told(event: Event): { what: string; detail: string } {
  const { act, facts } = event.content as { act: string; facts: Record<string, unknown> };
  return { what: WHAT[act] ?? act, detail: detail(facts) };
}

function detail(facts: Record<string, unknown>): string {
  return Object.entries(facts)
    .filter(([, value]) => value !== "" && value !== null)
    .map(
      ([name, value]) =>
        `${name.replaceAll("_", " ")}: ${typeof value === "object" ? JSON.stringify(value) : value}`,
    )
    .join(" · ");
}
