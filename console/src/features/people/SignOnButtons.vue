<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { leaveFor, type Service } from "@/api/signOn";
import ProblemNote from "@/ui/ProblemNote.vue";

/** The single sign-ons of a workspace, each a way to sign in, or to prove again who one is. */
const props = defineProps<{ workspace: string; back: string; again?: boolean }>();
const names = useQuery({
  queryKey: computed(() => ["sign-on", props.workspace]),
  queryFn: () => take(api.GET("/session/sign-on", { params: { query: { workspace: props.workspace } } })),
  enabled: computed(() => props.workspace !== ""),
});
const services = computed(() => names.data.value?.items ?? []);
const leave = useMutation({
  mutationFn: (service: Service) => leaveFor(service, props.workspace, props.back, props.again),
});
</script>

<template>
  <div v-if="services.length" class="grid gap-2" :class="again ? '' : 'border-t border-line pt-4'">
    <button
      v-for="service in services"
      :key="service.id"
      type="button"
      :class="again ? 'link justify-self-start' : 'button w-full'"
      :disabled="leave.isPending.value"
      @click="leave.mutate(service)"
    >
      {{ again ? "Confirm at" : "Sign in at" }} {{ service.name }}
    </button>
    <ProblemNote v-if="leave.error.value" :error="leave.error.value" />
  </div>
</template>
