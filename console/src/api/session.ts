import { useQuery, useQueryClient, type QueryClient } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";
import { showDates } from "@/ui/time";
import {
  api,
  rememberCsrf,
  take,
  type FirstWorkspace,
  type Me,
  type SignOnAnswer,
  type SignOnSignIn,
} from "./client";
import { signWithPasskey } from "./passkeys";

const KEY = ["me"];

async function load(): Promise<Me> {
  return known(await take(api.GET("/me")));
}

/** Takes note of who is signed in, for what is sent and for how dates are shown. */
function known(me: Me): Me {
  rememberCsrf(me.csrf);
  showDates(me.person.dates, me.person.zone);
  return me;
}

const kept: (() => void)[] = [];
/** Have something forgotten as soon as somebody else is signed in, or nobody: what is kept beside the answers. */
export function forgetThen(forget: () => void): void {
  kept.push(forget);
}

/** Begin anew as whoever is signed in now: nothing of whoever was before them is left. */
function begin(queries: QueryClient, me?: Me): void {
  queries.clear();
  for (const forget of kept) forget();
  if (me) queries.setQueryData(KEY, known(me));
}

/** Who is signed in, where, and what they may do. */
export function useSession() {
  const queries = useQueryClient();
  const query = useQuery({ queryKey: KEY, queryFn: load, staleTime: Infinity, retry: false });
  const me = query.data;
  return {
    ...query,
    me,
    zone: computed(() => me.value?.workspace.zone ?? "UTC"),
    may: (operation: string): ComputedRef<boolean> =>
      computed(() => me.value?.may.includes(operation) ?? false),
    async signIn(workspace: string, address: string, password: string, code: string): Promise<void> {
      const body = { workspace, address, password, code: code || null };
      const signed = await take(api.POST("/session", { body }));
      begin(queries, signed);
    },
    async found(body: FirstWorkspace): Promise<void> {
      const signed = await take(api.POST("/session/founding", { body }));
      begin(queries, signed);
    },
    async signInWithPasskey(workspace: string): Promise<void> {
      const body = { workspace, ...(await signWithPasskey(workspace)) };
      const signed = await take(api.POST("/session/passkey", { body }));
      begin(queries, signed);
    },
    async signInBySignOn(body: SignOnSignIn): Promise<void> {
      const signed = await take(api.POST("/session/sign-on", { body }));
      begin(queries, signed);
    },
    async proveBySignOn(sign_on: SignOnAnswer): Promise<void> {
      // The page was left meanwhile, and with it what has to go along with every change.
      await load();
      const body = { password: null, code: null, passkey: null, sign_on };
      queries.setQueryData(KEY, known(await take(api.POST("/session/confirmation", { body }))));
    },
    async actFor(workspace: string): Promise<void> {
      const now = await take(api.POST("/session/switch", { body: { workspace } }));
      begin(queries, now);
    },
    async signOut(): Promise<void> {
      await take(api.DELETE("/session"));
      begin(queries);
    },
  };
}
