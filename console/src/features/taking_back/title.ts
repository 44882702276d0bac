import type { Batch } from "@/api/client";

const DOES: Record<string, string> = {
  end: "End",
  "end-on": "Set the end date of",
  narrow: "Narrow",
  pause: "Pause",
  resume: "Resume",
  "close-sessions": "Sign out of",
};

/** What a batch is for, in a few words. */
export function titleOf(batch: Batch): string {
  if (batch.kind === "proposal") return String((batch.wanted as { title?: string }).title ?? "A proposal");
  if (batch.party) return `${batch.party.name} leaves`;
  const entries = batch.count === 1 ? "one entry" : `${batch.count.toLocaleString("en")} entries`;
  return `${DOES[batch.action] ?? batch.action} ${entries}`;
}
