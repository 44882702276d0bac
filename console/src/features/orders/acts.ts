import type { Entry, Order } from "@/api/client";

/** What can be ordered about an entry; what can be ordered about a member of a team begins with the team. */
export type Act = Exclude<Order["action"], "let-in" | "add-member" | "remove-member">;

const BEYOND: readonly string[] = ["let-in", "add-member", "remove-member"];

interface Words {
  /** as a choice */
  name: string;
  /** as the title of the question, about someone */
  title: (entry: Entry) => string;
  /** on the button that does it */
  act: string;
}

export const WORDS: Record<Act, Words> = {
  end: {
    name: "End now",
    title: (e) => `End access for ${e.party.name}?`,
    act: "End access",
  },
  "give-up": {
    name: "Give up",
    title: (e) => `Give up your access to ${e.account.name}?`,
    act: "Give it up",
  },
  "end-on": {
    name: "Last day",
    title: (e) => `Set a last day for ${e.party.name}?`,
    act: "Set the last day",
  },
  narrow: {
    name: "Narrow",
    title: (e) => `Narrow what ${e.party.name} can do?`,
    act: "Narrow it",
  },
  extend: {
    name: "Extend",
    title: (e) => `Extend access for ${e.party.name}?`,
    act: "Extend it",
  },
  pause: { name: "Pause", title: (e) => `Pause ${e.party.name}?`, act: "Pause it" },
  resume: {
    name: "Resume",
    title: (e) => `Let ${e.party.name} in again?`,
    act: "Resume it",
  },
  "close-sessions": {
    name: "Sign out",
    title: (e) => `Sign ${e.party.name} out?`,
    act: "Close the sessions",
  },
  "change-secret": {
    name: "Change the secret",
    title: (e) => `Have “${e.level}” changed?`,
    act: "Have it changed",
  },
  "give-back": {
    name: "Give back",
    title: (e) => `Let ${e.party.name} in again?`,
    act: "Give it back",
  },
  "hand-over": {
    name: "Hand over",
    title: (e) => `Hand ${e.account.name} over?`,
    act: "Ask them to agree",
  },
};

/** What can be ordered about an entry, the usual first; whose own it is can only give it up. */
export function actsOn(entry: Entry, own: boolean): Act[] {
  if (own) return entry.state === "ended" ? [] : ["give-up"];
  return entry.acts.map((one) => one.action).filter((one): one is Act => !BEYOND.includes(one));
}

/** Whether a person has to do it at the provider, since it cannot be asked for it from here. */
export function elsewhere(entry: Entry, act: Act): boolean {
  return entry.acts.some((one) => one.action === act && !one.here);
}
