import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type ComputedRef } from "vue";
import { api, rememberCsrf, take, type Me } from "./client";

const KEY = ["me"];

async function load(): Promise<Me> {
  const me = await take(api.GET("/me"));
  rememberCsrf(me.csrf);
  return me;
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
    async signIn(workspace: string, address: string, password: string): Promise<void> {
      const signed = await take(api.POST("/session", { body: { workspace, address, password } }));
      rememberCsrf(signed.csrf);
      queries.clear();
      queries.setQueryData(KEY, signed);
    },
    async actFor(workspace: string): Promise<void> {
      const now = await take(api.POST("/session/switch", { body: { workspace } }));
      rememberCsrf(now.csrf);
      queries.clear();
      queries.setQueryData(KEY, now);
    },
    async signOut(): Promise<void> {
      await take(api.DELETE("/session"));
      queries.clear();
    },
  };
}
