<script setup lang="ts">
import { useMutation } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";
import { api, take, type Person } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { exact, moment } from "@/ui/time";
import RoleChoice from "./RoleChoice.vue";

/** One person of the workspace: their role, and taking their sign-in back. */
const props = defineProps<{ person: Person; guarded: boolean }>();
const emit = defineEmits<{ changed: []; gone: [] }>();
const session = useSession();
const { zone, me } = session;
const mayChange = session.may("people.role");
const role = ref(props.person.role);
watch(
  () => props.person.role,
  (now) => (role.value = now),
);
const asking = ref<"disable" | "remove" | "reset" | "">("");
const path = computed(() => ({ path: { person: props.person.id } }));
const give = useMutation({
  mutationFn: () =>
    take(api.PUT("/people/{person}/role", { params: path.value, body: { role: role.value } })),
  onSuccess: () => emit("changed"),
});
const act = useMutation({
  mutationFn: async (what: "disable" | "enable" | "remove" | "reset") => {
    if (what === "reset") await take(api.DELETE("/people/{person}/factors", { params: path.value }));
    else if (what === "remove") await take(api.DELETE("/people/{person}", { params: path.value }));
    else if (what === "enable") await take(api.POST("/people/{person}/enable", { params: path.value }));
    else await take(api.POST("/people/{person}/disable", { params: path.value }));
    return what;
  },
  onSuccess: (what) => {
    asking.value = "";
    emit("changed");
    if (what === "remove") emit("gone");
  },
});
const BUTTON = {
  disable: "Disable sign-in",
  remove: "Remove this person",
  reset: "Remove second factors",
} as const;
const mine = computed(() => me.value?.person.id === props.person.id);
const ends = computed(() => {
  if (asking.value === "reset")
    return [
      "They sign in with their password alone until they add another second factor.",
      "Their sessions and tokens end at once, and a letter tells them.",
    ];
  if (props.person.state === "invited") return ["The link of the invitation stops working at once."];
  const items = [
    "Their sessions and tokens end at once, and their private calendar address stops working.",
    "Review items that wait for them go to their substitute, or to an owner.",
  ];
  if (asking.value === "remove")
    items.push(
      "They are no longer listed here, and sponsor no party. The log and reports keep their name.",
      "This cannot be undone; they can be invited again.",
    );
  else items.push("You can enable their sign-in again at any time; they need new tokens.");
  return items;
});
</script>

<template>
  <p class="small">Person</p>
  <h2 class="mt-2 pr-6">{{ person.name }}</h2>
  <p class="mt-2 break-words text-mute">
    {{ person.address }} · last seen
    <span :title="exact(person.seen_at)">{{ moment(person.seen_at, zone) || "never" }}</span>
  </p>
  <p v-if="mine" class="mt-2">
    This is you. Your name, password and sessions are in
    <RouterLink class="link" to="/me">My account</RouterLink>.
  </p>
  <template v-if="mayChange">
    <form class="mt-5" @submit.prevent="give.mutate()">
      <RoleChoice v-model="role" />
      <ProblemNote v-if="give.error.value" :error="give.error.value" class="mt-3" />
      <button v-if="role !== person.role" type="submit" class="button mt-3" :disabled="give.isPending.value">
        Make {{ person.name }} {{ role }}
      </button>
    </form>
    <h3 class="section">Sign-in</h3>
    <div v-if="asking">
      <ul class="grid gap-2">
        <li v-for="one in ends" :key="one" class="border-l-4 border-medium pl-3">{{ one }}</li>
      </ul>
      <div class="mt-4 flex gap-[10px]">
        <button
          type="button"
          class="button button-danger"
          :disabled="act.isPending.value"
          @click="act.mutate(asking)"
        >
          {{ BUTTON[asking] }}
        </button>
        <button type="button" class="button" @click="asking = ''">Cancel</button>
      </div>
    </div>
    <div v-else class="flex flex-wrap gap-[10px]">
      <button v-if="person.state === 'active'" type="button" class="button" @click="asking = 'disable'">
        Disable sign-in…
      </button>
      <button
        v-if="person.state === 'disabled'"
        type="button"
        class="button"
        :disabled="act.isPending.value"
        @click="act.mutate('enable')"
      >
        Enable sign-in again
      </button>
      <button v-if="guarded && !mine" type="button" class="button" @click="asking = 'reset'">
        Remove second factors…
      </button>
      <button type="button" class="button" @click="asking = 'remove'">
        {{ person.state === "invited" ? "Withdraw the invitation…" : "Remove…" }}
      </button>
    </div>
    <ProblemNote v-if="act.error.value" :error="act.error.value" class="mt-4" />
  </template>
  <p class="mt-5 font-mono text-small break-words text-mute">openlatch people show {{ person.address }}</p>
</template>
