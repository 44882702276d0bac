import { useQueryClient } from "@tanstack/vue-query";
import { computed, onScopeDispose, ref, shallowRef, watch, type Ref } from "vue";
import { api, take, type Round, type RoundItem } from "@/api/client";

/** A page of a round's items: how it is asked for, and which items it has. */
interface Part {
  own: boolean;
  cursor?: string;
  places: Set<number>;
}

/** So many items are asked for at first, so that something is there soon, and then. */
const FIRST = 50;
const NEXT = 500;

/**
 * The items of a round, read page by page: those that wait for whoever looks come first, then all others.
 *
 * A round has the same items for as long as it is there, so that what was read of them stays: after a decision only
 * the pages that have something of it are asked for again, and all of them once the round shows that somebody else has
 * decided, or that an order has gone on.
 */
export function useRoundItems(wanted: Ref<string>, round: Ref<Round | undefined>) {
  const queries = useQueryClient();
  const items = shallowRef<readonly RoundItem[]>([]);
  const complete = ref(false);
  const error = ref<Error | null>(null);
  let there = new Map<number, RoundItem>();
  let parts: Part[] = [];
  let turn = 0;
  let heeded = "";

  const page = (own: boolean, cursor?: string) =>
    queries.fetchQuery({
      queryKey: ["round items", wanted.value, own, cursor],
      queryFn: () =>
        take(
          api.GET("/rounds/{review_round}/items", {
            params: {
              path: { review_round: wanted.value },
              query: { mine: own, cursor, limit: cursor ? NEXT : FIRST },
            },
          }),
        ),
      staleTime: 0,
      gcTime: 0,
    });

  function learn(several: readonly RoundItem[]): void {
    // What was asked for before a decision may arrive after what was asked for behind it.
    for (const one of several)
      if (one.version >= (there.get(one.place)?.version ?? 0)) there.set(one.place, one);
    items.value = [...there.values()].sort((a, b) => a.place - b.place);
  }

  /** Read all of them. Those that were there stay to be seen meanwhile. */
  async function read(): Promise<void> {
    const mine = ++turn;
    heeded = outcomes.value;
    complete.value = false;
    error.value = null;
    const read: Part[] = [];
    try {
      for (const own of [true, false]) {
        const all = read.reduce((sum, part) => sum + part.places.size, 0) === round.value?.count;
        if (all && !own) break;
        let cursor: string | undefined;
        do {
          const got = await page(own, cursor);
          if (mine !== turn) return;
          read.push({ own, cursor, places: new Set(got.items.map((one) => one.place)) });
          parts = [...read, ...parts.slice(read.length)];
          learn(got.items);
          cursor = got.next ?? undefined;
        } while (cursor);
      }
      parts = read;
      complete.value = true;
    } catch (problem) {
      if (mine === turn) error.value = problem as Error;
    }
  }

  /** Ask again for the items with some places. */
  async function refresh(places: readonly number[]): Promise<void> {
    const mine = wanted.value;
    const held = parts.filter((part) => places.some((place) => part.places.has(place)));
    try {
      for (const part of held) {
        const got = await page(part.own, part.cursor);
        if (mine !== wanted.value) return;
        learn(got.items);
      }
    } catch (problem) {
      error.value = problem as Error;
    }
  }

  const outcomes = computed(() => told(round.value?.outcomes ?? {}));
  function counted(): Record<string, number> {
    const numbers: Record<string, number> = {};
    for (const { outcome } of items.value) numbers[outcome] = (numbers[outcome] ?? 0) + 1;
    return numbers;
  }
  watch([outcomes, complete], () => {
    if (!complete.value) return;
    // What a reading has not brought together the next one will not either, until the round says something else.
    if (told(counted()) === outcomes.value) heeded = "";
    else if (heeded !== outcomes.value) void read();
  });
  onScopeDispose(() => (turn += 1));
  watch(
    wanted,
    () => {
      there = new Map();
      parts = [];
      items.value = [];
      void read();
    },
    { immediate: true },
  );
  return { items, complete, error, read, refresh };
}

/** Numbers by their words, so that two of them can be compared. */
function told(numbers: Record<string, number>): string {
  return Object.entries(numbers)
    .filter(([, number]) => number)
    .map(([word, number]) => `${word}: ${number}`)
    .sort()
    .join(", ");
}
