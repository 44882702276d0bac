import type { components } from "@/api/schema";

export type Found = components["schemas"]["Found"];

/** The page of something that was found. */
export function pageOf(one: Found): string {
  const ref = encodeURIComponent(one.ref);
  const pages: Record<Found["kind"], string> = {
    entry: `/entries/${ref}`,
    account: `/accounts/${ref}`,
    party: `/parties/${ref}`,
    app: `/parties/${ref}`,
    provider: `/providers/${ref}`,
    person: `/people?person=${one.id}`,
    flag: `/flags?flag=${ref}`,
    offer: `/offers?offer=${ref}`,
    request: `/offers?what=requests&request=${ref}`,
    review: "/reviews",
    round: `/rounds/${ref}`,
    order: `/orders?order=${ref}`,
    batch: `/batches/${ref}`,
  };
  return pages[one.kind];
}
