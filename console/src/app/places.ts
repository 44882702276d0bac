import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";

export interface Place {
  to: string;
  name: string;
  /** the key that leads there after g */
  key?: string;
  /** how much is there, or waits there */
  count?: number;
}
export interface PlaceGroup {
  title: string;
  places: Place[];
}

/** The places of the console in the order of the work, for whoever is signed in; nowhere that they may not go. */
export function usePlaces(): { groups: ComputedRef<PlaceGroup[]> } {
  const session = useSession();
  const { me } = session;
  const bound = computed(() => me.value?.lacks_factor === true);
  const here = computed(() => !!me.value && !bound.value);
  const may = {
    parties: session.may("parties.browse"),
    flags: session.may("flags.browse"),
    people: session.may("people.browse"),
    log: session.may("log.browse"),
    orders: session.may("orders.browse"),
    rounds: session.may("rounds.browse"),
    proposals: session.may("proposals.browse"),
    requests: session.may("requests.browse"),
    activity: session.may("activity.browse"),
    batches: session.may("batches.browse"),
  };
  const standing = useQuery({
    queryKey: ["entries", "summary", {}],
    queryFn: () => take(api.GET("/entries/summary")),
    enabled: here,
  });
  const orders = useQuery({
    queryKey: ["orders", "open"],
    queryFn: () => take(api.GET("/orders", { params: { query: { state: "waiting,running,told,stuck" } } })),
    enabled: computed(() => here.value && may.orders.value),
  });
  const rounds = useQuery({
    queryKey: ["rounds", "open"],
    queryFn: () => take(api.GET("/rounds", { params: { query: { state: "open" } } })),
    enabled: computed(() => here.value && may.rounds.value),
  });
  const requests = useQuery({
    queryKey: ["requests", "waiting"],
    queryFn: () => take(api.GET("/requests", { params: { query: { state: "waiting", limit: 100 } } })),
    enabled: computed(() => here.value && may.requests.value),
  });

  const groups = computed<PlaceGroup[]>(() => {
    if (!here.value) return [];
    const member = me.value?.person.role === "member";
    const toDecide = rounds.data.value?.items.reduce((sum, one) => sum + one.mine, 0);
    const every: [string, ([boolean, Place] | [boolean])[]][] = [
      ["", [[may.parties.value, { to: "/", name: "Today", key: "t" }]]],
      [
        "See",
        [
          [
            true,
            {
              to: "/inventory",
              name: member ? "My access" : "Inventory",
              key: "i",
              count: standing.data.value?.entries,
            },
          ],
          [may.parties.value, { to: "/accounts", name: "Accounts", key: "a" }],
          [may.parties.value, { to: "/parties", name: "Parties", key: "w" }],
          [may.parties.value, { to: "/apps", name: "Apps", key: "c" }],
          [may.activity.value, { to: "/activity", name: "Activity", key: "d" }],
        ],
      ],
      [
        "Let in",
        [
          [
            true,
            {
              to: "/offers",
              name: "Offers and requests",
              key: "n",
              count: requests.data.value?.items.length || undefined,
            },
          ],
          [may.proposals.value, { to: "/what-if", name: "What-if", key: "x" }],
        ],
      ],
      [
        "Review",
        [
          [may.flags.value, { to: "/flags", name: "Flags", key: "f" }],
          [may.rounds.value, { to: "/reviews", name: "Reviews", key: "v", count: toDecide || undefined }],
        ],
      ],
      [
        "Take back",
        [
          [
            may.orders.value,
            { to: "/orders", name: "Orders", key: "o", count: orders.data.value?.items.length || undefined },
          ],
          [may.batches.value, { to: "/leavers", name: "Leavers", key: "b" }],
        ],
      ],
      [
        "Set up",
        [
          [true, { to: "/providers", name: "Providers", key: "p" }],
          [may.flags.value, { to: "/policy", name: "Policy", key: "r" }],
          [may.people.value, { to: "/people", name: "People", key: "u" }],
          [!member, { to: "/settings", name: "Settings", key: "s" }],
          [may.log.value, { to: "/log", name: "Log", key: "l" }],
        ],
      ],
    ];
    return every
      .map(([title, places]) => ({
        title,
        places: places.flatMap(([shown, place]) => (shown && place ? [place] : [])),
      }))
      .filter((group) => group.places.length > 0);
  });
  return { groups };
}

/** Whether a place is where one is: its page, or one that belongs to it. */
export function isHere(to: string, path: string): boolean {
  if (to === "/") return path === "/";
  if (to === "/leavers" && path.endsWith("/leaving")) return true;
  if (to === "/parties" && path.endsWith("/leaving")) return false;
  const others: Record<string, string[]> = {
    "/reviews": ["/rounds"],
    "/orders": ["/batches"],
    "/settings": ["/webhooks"],
  };
  return [to, ...(others[to] ?? [])].some((base) => path === base || path.startsWith(`${base}/`));
}
