import { OUTCOMES } from "@/api/words";

/** What a thing in a batch or a round came to. */
export type CameTo = keyof typeof OUTCOMES;
type Tone = (typeof OUTCOMES)[CameTo]["tone"];

const FILL: Record<Tone, string> = {
  good: "bg-good",
  stays: "bg-act",
  waits: "bg-medium",
  going: "bg-used",
  bad: "bg-critical",
  none: "bg-rule",
};

/** The colour in which it is written what something came to; most of it needs none. */
export function ink(word: CameTo): string {
  const { tone } = OUTCOMES[word];
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
  return Object.entries(OUTCOMES)
    .filter(([word]) => outcomes[word])
    .map(([word, { tone, means }]) => {
      const number = outcomes[word] ?? 0;
      return { word, number, share: (100 * number) / all, tone: FILL[tone], means };
    });
}
