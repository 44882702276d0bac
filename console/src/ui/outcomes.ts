import type { RoundItem } from "@/api/client";

/** What a thing in a batch or a round came to. */
export type CameTo = RoundItem["outcome"];
type Tone = "good" | "stays" | "waits" | "going" | "bad" | "none";

interface Said {
  tone: Tone;
  means: string;
}

/** Everything that things can come to, in the order in which it is drawn: what is done first. */
const SAID: Record<CameTo, Said> = {
  kept: { tone: "stays", means: "stays as it is" },
  proved: { tone: "good", means: "a fresh reading shows it" },
  done: { tone: "good", means: "somebody said so" },
  told: { tone: "waits", means: "somebody or the provider said yes; no reading shows it yet" },
  running: { tone: "going", means: "under way" },
  waiting: { tone: "waits", means: "goes on later, or once somebody has done something" },
  "to come": { tone: "going", means: "not begun" },
  drafted: { tone: "going", means: "not begun" },
  "to do": { tone: "none", means: "for a person to do" },
  stuck: { tone: "bad", means: "needs a person" },
  refused: { tone: "bad", means: "not possible" },
  cancelled: { tone: "none", means: "called off" },
  gone: { tone: "none", means: "had ended before" },
  "left open": { tone: "none", means: "somebody sees to it" },
  undecided: { tone: "none", means: "nobody has answered yet" },
};
const FILL: Record<Tone, string> = {
  good: "bg-good",
  stays: "bg-act",
  waits: "bg-medium",
  going: "bg-used",
  bad: "bg-critical",
  none: "bg-rule",
};

/** What can be left open, with who sees to it: nothing goes on about it that would not need somebody. */
export const CAN_BE_LEFT: readonly CameTo[] = ["to do", "told", "waiting", "stuck", "refused", "cancelled"];

/** The colour in which it is written what something came to; most of it needs none. */
export function ink(word: CameTo): string {
  const { tone } = SAID[word];
  return tone === "good" ? "text-good" : tone === "bad" ? "text-critical" : "";
}

export interface Part {
  word: string;
  number: number;
  share: number;
  tone: string;
  means: string;
}

/** The parts of a batch or a round by what came of them; shares are percent, and add up to 100. */
export function parts(outcomes: Record<string, number>): Part[] {
  const all = Object.values(outcomes).reduce((sum, number) => sum + number, 0);
  return Object.entries(SAID)
    .filter(([word]) => outcomes[word])
    .map(([word, { tone, means }]) => {
      const number = outcomes[word] ?? 0;
      return { word, number, share: (100 * number) / all, tone: FILL[tone], means };
    });
}
