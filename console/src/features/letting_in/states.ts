/** What has become of offers and requests, as people say it. */
import type { AccessRequest, Offer } from "@/api/client";

const OFFER: Record<Offer["state"], string> = {
  waiting: "waits for an answer",
  "taken-up": "taken up",
  declined: "declined",
  lapsed: "lapsed",
  withdrawn: "withdrawn",
};
const REQUEST: Record<AccessRequest["state"], string> = {
  unconfirmed: "not confirmed yet",
  waiting: "waits for an answer",
  offered: "answered by an offer",
  "turned-down": "turned down",
  withdrawn: "withdrawn",
  lapsed: "lapsed",
};

/** The state of an offer; one that was taken up is in only once all of it is there. */
export function stateOf(offer: Offer): string {
  if (offer.state === "waiting" && offer.left_at) return "seen, left for later";
  if (offer.state !== "taken-up") return OFFER[offer.state];
  if (offer.parts.some((part) => part.order_state === "stuck")) return "taken up, needs a person";
  return offer.parts.every((part) => part.live) ? "let in" : "taken up, under way";
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
