import { useQuery } from "@tanstack/vue-query";
import { computed, type ComputedRef, type Ref } from "vue";
import { api, take } from "@/api/client";
import { useProviders } from "@/features/providers/useProviders";
import type { Filter } from "@/ui/list/kind";

/** How the account, the party and the provider are called that a filter names by their short forms. */
export function useNamed(filter: Ref<Filter>): ComputedRef<Record<string, string | undefined>> {
  const account = useQuery({
    queryKey: computed(() => ["accounts", "one", filter.value.account]),
    queryFn: () =>
      take(api.GET("/accounts/{account}", { params: { path: { account: filter.value.account ?? "" } } })),
    enabled: computed(() => !!filter.value.account),
  });
  const party = useQuery({
    queryKey: computed(() => ["parties", "one", filter.value.party]),
    queryFn: () =>
      take(api.GET("/parties/{party}", { params: { path: { party: filter.value.party ?? "" } } })),
    enabled: computed(() => !!filter.value.party),
  });
  const { providers } = useProviders();
  return computed(() => ({
    account: account.data.value?.name,
    party: party.data.value?.name,
    provider: providers.value.find((one) => one.ref === filter.value.provider)?.name,
  }));
}
