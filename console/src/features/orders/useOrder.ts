import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, watch, type Ref } from "vue";
import { api, take, type Order } from "@/api/client";

/** What a person can do with an order. */
export type Move = "cancel" | "done" | "try-again";
/** How often an order is looked at that goes on by itself, and one that waits, in milliseconds. */
const OFTEN = 700;
const SELDOM = 10_000;

/** Whether an order is over, or waits for a person, a day or a device. */
export function resting(order: Order): boolean {
  return order.rests;
}

/** One order, looked at again and again until it rests; `over` is called when it does. */
export function useOrder(ref: Ref<string>, over: () => void) {
  const queries = useQueryClient();
  const query = useQuery({
    queryKey: computed(() => ["orders", "one", ref.value]),
    queryFn: () => take(api.GET("/orders/{order}", { params: { path: { order: ref.value } } })),
    refetchInterval: ({ state: { data } }) =>
      !data?.rests ? OFTEN : data.finished_at !== null ? false : SELDOM,
  });
  watch(
    () => query.data.value?.state,
    async (state, former) => {
      if (!state || !former || !query.data.value?.rests) return;
      over();
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["entries"] }),
        queries.invalidateQueries({ queryKey: ["orders"] }),
      ]);
    },
  );
  async function move(how: Move, said: string): Promise<void> {
    const params = { path: { order: ref.value } };
    const moved = await take(
      how === "done"
        ? api.POST("/orders/{order}/done", { params, body: { said } })
        : how === "cancel"
          ? api.POST("/orders/{order}/cancel", { params })
          : api.POST("/orders/{order}/try-again", { params }),
    );
    queries.setQueryData(["orders", "one", ref.value], moved);
  }
  return { ...query, move };
}
