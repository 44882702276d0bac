import { onBeforeUnmount, onMounted } from "vue";

export type Shortcuts = Record<string, (event: KeyboardEvent) => void>;

function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.matches("input, textarea, select, [contenteditable]");
}

/** Let single keys do things while a component is there; never while someone types, except Escape. */
export function useShortcuts(shortcuts: Shortcuts): void {
  function onKey(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (typing(event.target) && event.key !== "Escape") return;
    shortcuts[event.key]?.(event);
  }
  onMounted(() => window.addEventListener("keydown", onKey));
  onBeforeUnmount(() => window.removeEventListener("keydown", onKey));
}

export const SHEET: [string, string][] = [
  ["/", "search"],
  ["j  k", "next and previous entry"],
  ["Enter", "open the entry"],
  ["e", "end the access of the open entry"],
  ["Esc", "close what is open"],
  ["k n d x p", "in a review: keep, narrow, last day, end now, pass on"],
  ["j  b", "in a review: the next item, and back"],
  ["a", "in a review: decide the same for all alike"],
  ["g t", "go to today"],
  ["g i", "go to the inventory"],
  ["g f", "go to the flags"],
  ["g r", "go to the rules"],
  ["g a", "go to the accounts"],
  ["g w", "go to the parties (who)"],
  ["g v", "go to the reviews"],
  ["g o", "go to the orders"],
  ["g p", "go to the providers"],
  ["g l", "go to the log"],
  ["?", "this sheet"],
];
