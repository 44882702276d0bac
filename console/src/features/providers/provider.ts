import { api, take, type NewProvider, type Provider } from "@/api/client";
import type { components } from "@/api/schema";

const WORDS: Record<string, string> = {
  queued: "will be read now",
  running: "is being read",
  complete: "complete",
  partial: "broke off; nothing was taken as gone",
  failed: "failed; the inventory stays as it was",
};
/** Whether it is being read, or will be at once. */
export function busy(one: Provider): boolean {
  return one.latest?.state === "queued" || one.latest?.state === "running";
}
/** What its latest reading came to. */
export function latest(one: Provider): string {
  const { state = "queued", seen = 0, total, withheld } = one.latest ?? {};
  const words = withheld ? "not believed; nothing was taken as gone" : WORDS[state];
  return (words ?? state) + (seen ? `: ${seen}${total && total !== seen ? ` of ${total}` : ""} entries` : "");
}
const AGAIN = { holder: "you", party: "only the other side", either: "either side" };
/** What it shows, and what of that can be ended from here. */
export function abilities({ abilities: can }: Provider): string {
  const unended = can.lists.filter((kind) => !can.ends.includes(kind));
  const ends = can.ends.length ? can.ends.join(", ") : "nothing from here";
  return [
    `Shows ${can.lists.join(", ") || "nothing yet"}; ends ${ends}`,
    unended.length ? `, not ${unended.join(", ")}` : "",
    can.ends_teams ? "" : ", no team's access",
    can.at_once ? ", at once" : ", when their device next connects",
    can.consent ? `; may ask ${can.consent}` : "",
    `; ${AGAIN[can.redone_by]} can give it again.`,
  ].join("");
}
/** What the provider can do besides, which has to be done there. */
export function besides({ abilities: can }: Provider): string {
  return [
    can.narrows.length ? `narrow ${can.narrows.join(", ")}` : "",
    can.pauses.length ? `pause ${can.pauses.join(", ")}` : "",
    can.dates.length ? `set an end for ${can.dates.join(", ")}` : "",
    can.gives.length ? `give ${can.gives.join(", ")}` : "",
  ]
    .filter(Boolean)
    .join("; ");
}
/** What its latest reading changed. */
export function counts(one: Provider): string {
  const found = Object.entries(one.latest?.counts ?? {}).filter(([, number]) => number > 0);
  return found.map(([word, number]) => `${number} ${word}`).join(", ");
}

/** How a provider stands, in a few words. */
export function standing(one: Provider): string {
  const worn = one.state === "not-vouched-for" ? `${one.worn_off} ` : "";
  return worn + (STANDS[one.state] ?? one.state.replaceAll("-", " "));
}
const STANDS: Partial<Record<Provider["state"], string>> = {
  reading: "is being read",
  "by-hand": "recorded by hand",
  "not-read": "not read yet",
  paused: "reading is paused",
};

type Wish = components["schemas"]["ProviderWish"];
const AS_IT_IS: Wish = {
  name: null,
  settings: null,
  secret: null,
  read_every: null,
  stale_after: null,
  most_gone: null,
  vouch_days: null,
  says_who: null,
};

/** Change what is said of a provider; what is reached otherwise is tried before it is kept. */
export function changeProvider(provider: string, wanted: Partial<Wish>): Promise<Provider> {
  const body = { ...AS_IT_IS, ...wanted };
  return take(api.PUT("/providers/{provider}", { params: { path: { provider } }, body }));
}

/** Add a provider. How often it is read, and what counts as old, is the service's to say until someone says otherwise. */
export function addProvider(
  wanted: Pick<NewProvider, "name" | "connector" | "settings" | "secret">,
): Promise<Provider> {
  return take(api.POST("/providers", { body: wanted as NewProvider }));
}
