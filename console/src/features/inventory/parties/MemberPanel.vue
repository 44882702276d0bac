<script setup lang="ts">
import ConfirmOrder from "@/features/orders/ConfirmOrder.vue";
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import OrderProgress from "@/features/orders/OrderProgress.vue";
import PlanSteps from "@/features/orders/PlanSteps.vue";
import { quoted } from "@/ui/command";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";

/** Removing a member from a team, or adding one: what happens, how it is done, and what became of it. */
const props = defineProps<{
  team: string;
  member: string;
  action: "add-member" | "remove-member";
  provider?: string | undefined;
  /** an order that is in progress about it already */
  under?: string | undefined;
}>();
const emit = defineEmits<{ close: []; changed: [] }>();
const session = useSession();
const mayOrder = session.may("teams.order");
const queries = useQueryClient();
const reason = ref("");
const given = ref(props.under ?? "");
const path = computed(() => ({ team: props.team, member: props.member }));
const wish = computed(() => ({ action: props.action, provider: props.provider ?? "" }));
const {
  data: plan,
  error,
  refetch,
} = useQuery({
  queryKey: computed(() => ["parties", "member-plan", path.value, wish.value]),
  queryFn: () =>
    take(api.GET("/teams/{team}/members/{member}/plan", { params: { path: path.value, query: wish.value } })),
  enabled: computed(() => !given.value),
  staleTime: 0,
});
const order = useMutation({
  mutationFn: () =>
    take(
      api.POST("/teams/{team}/members/{member}/orders", {
        params: { path: path.value },
        body: { ...wish.value, reason: reason.value, digest: plan.value?.digest ?? null },
      }),
    ),
  onSuccess: (made) => {
    given.value = made.ref;
    emit("changed");
  },
});
const removes = computed(() => props.action === "remove-member");
const title = computed(() => {
  if (!plan.value) return removes.value ? "Remove from a team" : "Add to a team";
  const { member, team } = plan.value;
  return removes.value ? `Remove ${member.name} from ${team.name}?` : `Add ${member.name} to ${team.name}?`;
});
function over(): void {
  emit("changed");
  void queries.invalidateQueries({ queryKey: ["parties"] });
}
function lookAgain(): void {
  order.reset();
  void refetch();
}
</script>

<template>
  <SidePanel :label="title" @close="emit('close')">
    <template v-if="given">
      <h2 class="mt-2 pr-6">{{ title.replace("?", "") }}</h2>
      <OrderProgress class="mt-4" :order-ref="given" @over="over" />
      <p class="mt-5 font-mono text-small text-mute">openlatch order show {{ given }}</p>
    </template>
    <ProblemNote v-else-if="error" :error="error" class="mt-8" />
    <p v-else-if="!plan" class="mt-8 text-mute" role="status">Working out what would happen…</p>
    <template v-else>
      <h2 class="mt-2 pr-6">{{ title }}</h2>
      <p class="mt-2 text-mute">
        {{ plan.member.addresses.join(", ") || plan.member.kind }}. {{ plan.provider }} knows
        {{ plan.member.kind === "person" ? "them" : "it" }} as
        <b class="font-[620] break-words text-ink">{{ plan.subject }}</b>.
      </p>
      <PlanSteps :consequences="plan.consequences" :steps="plan.steps" />
      <p v-if="plan.stop" class="mt-4 border-l-2 border-critical pl-3 font-[620]">{{ plan.stop }}</p>
      <template v-if="mayOrder">
        <ConfirmOrder
          v-model:reason="reason"
          :name="removes ? 'Remove from team' : 'Add to team'"
          :takes="removes"
          :disabled="order.isPending.value || !!plan.stop"
          :error="order.error.value"
          @order="order.mutate()"
          @again="lookAgain"
          @cancel="emit('close')"
        />
      </template>
      <p class="mt-[18px] font-mono text-small break-words text-mute">
        openlatch team {{ removes ? "remove" : "add" }} {{ quoted(plan.team.ref) }}
        {{ quoted(plan.member.ref) }} --dry-run
      </p>
    </template>
  </SidePanel>
</template>
