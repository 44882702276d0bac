import type { Batch } from "@/api/client";

/** What can come of a thing in a batch, in the order in which it is drawn: what is done first. */
export const OUTCOMES = [
  "kept",
  "proved",
  "done",
  "told",
  "running",
  "waiting",
  "to come",
  "to do",
  "stuck",
  "refused",
  "cancelled",
  "gone",
  "left open",
  "undecided",
] as const;

const TONE: Record<string, string> = {
  kept: "bg-act",
  proved: "bg-good",
  done: "bg-good",
  "to come": "bg-used",
  told: "bg-medium",
  running: "bg-act",
  waiting: "bg-medium",
  stuck: "bg-critical",
  refused: "bg-critical",
};
const MEANS: Record<string, string> = {
  kept: "stays as it is",
  gone: "had ended before",
  "left open": "somebody sees to it",
  undecided: "nobody has answered yet",
  proved: "a fresh reading shows it",
  done: "somebody said so",
  told: "somebody or the provider said yes; no reading shows it yet",
  running: "under way",
  waiting: "goes on later, or once somebody has done something",
  "to come": "not begun",
  "to do": "for a person to do",
  stuck: "needs a person",
  refused: "not possible",
  cancelled: "called off",
};

export interface Part {
  word: string;
  number: number;
  share: number;
  tone: string;
  means: string;
}

/** The parts of a batch by what came of them; shares are percent, and add up to 100. */
export function parts(outcomes: Record<string, number>): Part[] {
  const all = Object.values(outcomes).reduce((sum, number) => sum + number, 0);
  return OUTCOMES.filter((word) => outcomes[word]).map((word) => {
    const number = outcomes[word] ?? 0;
    return {
      word,
      number,
      share: (100 * number) / all,
      tone: TONE[word] ?? "bg-rule",
      means: MEANS[word] ?? "",
    };
  });
}

const DOES: Record<string, string> = {
  end: "End",
  "end-on": "Give a last day to",
  narrow: "Narrow",
  pause: "Pause",
  resume: "Resume",
  "close-sessions": "Sign out of",
};

/** What a batch is for, in a few words. */
export function titleOf(batch: Batch): string {
  if (batch.kind === "proposal") return String((batch.wanted as { title?: string }).title ?? "A proposal");
  if (batch.party) return `${batch.party.name} goes`;
  const entries = batch.count === 1 ? "one entry" : `${batch.count.toLocaleString("en")} entries`;
  return `${DOES[batch.action] ?? batch.action} ${entries}`;
}
