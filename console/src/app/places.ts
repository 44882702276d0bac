import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";

interface Page {
  to: string;
  name: string;
  /** the key that leads there after g */
  key: string;
  /** the operation that one has to reach to go there; none where everyone may */
  needs?: string;
}
export interface Place extends Page {
  /** how much is there, or waits there */
  count?: number;
}
export interface PlaceGroup {
  title: string;
  places: Place[];
}

/** The places of the console in the order of the work. */
const PLACES: { title: string; places: Page[] }[] = [
  { title: "", places: [{ to: "/", name: "Today", key: "t", needs: "parties.browse" }] },
  {
    title: "See",
    places: [
      { to: "/mine", name: "My access", key: "m" },
      { to: "/inventory", name: "Inventory", key: "i", needs: "parties.browse" },
      { to: "/accounts", name: "Accounts", key: "a", needs: "parties.browse" },
      { to: "/parties", name: "Parties", key: "w", needs: "parties.browse" },
      { to: "/apps", name: "Apps", key: "c", needs: "parties.browse" },
      { to: "/activity", name: "Activity", key: "d", needs: "activity.browse" },
    ],
  },
  {
    title: "Let in",
    places: [
      { to: "/offers", name: "Offers and requests", key: "n" },
      { to: "/what-if", name: "What-if", key: "x", needs: "proposals.browse" },
    ],
  },
  {
    title: "Review",
    places: [
      { to: "/flags", name: "Flags", key: "f", needs: "flags.browse" },
      { to: "/reviews", name: "Reviews", key: "v", needs: "rounds.browse" },
    ],
  },
  {
    title: "Take back",
    places: [
      { to: "/orders", name: "Orders", key: "o", needs: "orders.browse" },
      { to: "/leavers", name: "Leavers", key: "b", needs: "batches.browse" },
    ],
  },
  {
    title: "Set up",
    places: [
      { to: "/providers", name: "Providers", key: "p", needs: "parties.browse" },
      { to: "/policy", name: "Policy", key: "r", needs: "policy.show" },
      { to: "/people", name: "People", key: "u", needs: "people.browse" },
      { to: "/settings", name: "Settings", key: "s", needs: "policy.show" },
      { to: "/log", name: "Log", key: "l", needs: "log.browse" },
    ],
  },
];
export const KEYS: string[] = PLACES.flatMap((group) => group.places.map((place) => place.key));

/** The places of whoever is signed in, with how much is there; nowhere that they may not go. */
export function usePlaces(): { groups: ComputedRef<PlaceGroup[]> } {
  const session = useSession();
  const { me } = session;
  const here = computed(() => !!me.value && !me.value.lacks_factor);
  const may = {
    orders: session.may("orders.browse"),
    rounds: session.may("rounds.browse"),
    requests: session.may("requests.browse"),
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

  const counts = computed<Record<string, number | undefined>>(() => ({
    "/inventory": standing.data.value?.entries,
    "/offers": requests.data.value?.items.length || undefined,
    "/reviews": rounds.data.value?.items.reduce((sum, one) => sum + one.mine, 0) || undefined,
    "/orders": orders.data.value?.items.length || undefined,
  }));
  const shown = ({ needs }: Page) => !needs || me.value?.may.includes(needs);
  const asPlace = (page: Page): Place => ({ ...page, count: counts.value[page.to] });
  const groups = computed<PlaceGroup[]>(() =>
    here.value
      ? PLACES.map(({ title, places }) => ({ title, places: places.filter(shown).map(asPlace) })).filter(
          (group) => group.places.length > 0,
        )
      : [],
  );
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
