import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, watch } from "vue";
import { api, take, type Provider } from "@/api/client";
import type { paths } from "@/api/schema";

function underWay(provider: Provider): boolean {
  return provider.latest?.state === "queued" || provider.latest?.state === "running";
}

type Wanted = NonNullable<paths["/providers"]["get"]["parameters"]["query"]>;

/** All providers, or those that are wanted, and how fresh they are; looked at often while one is being read. */
export function useProviders(wanted: () => Wanted = () => ({})) {
  const queries = useQueryClient();
  const query = useQuery({
    queryKey: computed(() => ["providers", wanted()]),
    queryFn: () => take(api.GET("/providers", { params: { query: wanted() } })),
    placeholderData: keepPreviousData,
    refetchInterval: (current) => (current.state.data?.items.some(underWay) ? 700 : 20_000),
  });
  const providers = computed(() => query.data.value?.items ?? []);
  const reading = computed(() => providers.value.filter(underWay));
  const read = useMutation({
    mutationFn: ({ wanted, acceptLoss = false }: { wanted: Provider[]; acceptLoss?: boolean }) =>
      Promise.all(
        wanted.map((one) =>
          take(
            api.POST("/providers/{provider}/readings", {
              params: { path: { provider: one.id }, query: acceptLoss ? { accept_loss: true } : {} },
            }),
          ),
        ),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["providers"] }),
  });
  watch(
    () => providers.value.map((one) => one.latest?.finished_at).join(),
    (_finished, former) => {
      if (former) void queries.invalidateQueries({ queryKey: ["entries"] });
    },
  );
  return { ...query, providers, reading, read };
}
