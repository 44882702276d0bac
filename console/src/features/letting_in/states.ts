/** What has become of offers and requests, as people say it. */
import type { AccessRequest, Offer } from "@/api/client";

const OFFER: Record<Offer["state"], string> = {
  waiting: "waiting for an answer",
  "taken-up": "accepted",
  declined: "declined",
  lapsed: "lapsed",
  withdrawn: "withdrawn",
};
const REQUEST: Record<AccessRequest["state"], string> = {
  unconfirmed: "not confirmed yet",
  waiting: "waiting for an answer",
  offered: "an offer was made",
  "turned-down": "declined",
  withdrawn: "withdrawn",
  lapsed: "lapsed",
};

/** The state of an offer; one that was accepted is in only once all of it is there. */
export function stateOf(offer: Offer): string {
  if (offer.state === "waiting" && offer.left_at) return "seen, postponed";
  if (offer.state !== "taken-up") return OFFER[offer.state];
  if (offer.parts.some((part) => part.order_state === "stuck")) return "accepted, needs a person";
  return offer.parts.every((part) => part.live) ? "let in" : "accepted, in progress";
}

export function requestState(request: AccessRequest): string {
  return REQUEST[request.state];
}

/** How soon to look again: while it is carried out, and as long as the other side may answer. */
export function lookAgain(offers: readonly Offer[]): number | false {
  const carried = offers.some(
    (one) => one.state === "taken-up" && one.parts.some((part) => !part.live && part.order_state !== "stuck"),
  );
  if (carried) return 1500;
  return offers.some((one) => one.state === "waiting") ? 5000 : false;
}
