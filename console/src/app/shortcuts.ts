import { onBeforeUnmount, onMounted } from "vue";

export type Shortcuts = Record<string, (event: KeyboardEvent) => void>;

function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.matches("input, textarea, select, [contenteditable]");
}

const FIRST = "g";
const TOGETHER = 1500;
/** The last key that was pressed, by its name: what follows the first of two keys is none by itself. */
let last: { event: KeyboardEvent; name: string } | null = null;
let begun = -TOGETHER;

function nameOf(event: KeyboardEvent): string {
  if (last?.event === event) return last.name;
  const follows = event.timeStamp - begun < TOGETHER;
  begun = !follows && event.key === FIRST ? event.timeStamp : -TOGETHER;
  last = { event, name: follows ? `${FIRST} ${event.key}` : event.key };
  return last.name;
}

/** Let keys, or two after each other ("g t"), do things while a component is there; never while someone types, except
 * Escape. */
export function useShortcuts(shortcuts: Shortcuts): void {
  function onKey(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (typing(event.target) && event.key !== "Escape") return;
    const found = shortcuts[nameOf(event)];
    if (!found) return;
    // What a key opens must not be given the key's own letter.
    if (event.key.length === 1) event.preventDefault();
    found(event);
  }
  onMounted(() => window.addEventListener("keydown", onKey));
  onBeforeUnmount(() => window.removeEventListener("keydown", onKey));
}

export const SHEET: [string, string][] = [
  ["/", "search everything"],
  ["j  k", "next and previous line of a list"],
  ["Enter", "open it"],
  ["e", "end the access of the open entry"],
  ["Esc", "close what is open"],
  ["k n d x p", "in a review: keep, narrow, last day, end now, pass on"],
  ["j  b", "in a review: the next item, and back"],
  ["a", "in a review: decide the same for all alike"],
  ["?", "this sheet"],
];
