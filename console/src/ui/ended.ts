import type { Entry } from "@/api/client";

/**
 * How an entry that does not stand any more is spoken of: that it has ended there is said only of what has, not of what
 * is no longer looked at because its provider was removed here.
 */
export function endedWord(entry: Entry): string {
  return letGo(entry) ? "not watched" : "ended";
}

/** Whether its provider was removed here: what it still lets in there nobody here knows. */
export function letGo(entry: Entry): boolean {
  return entry.end_reason === "provider-removed";
}
