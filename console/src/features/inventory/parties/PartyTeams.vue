<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import ProblemNote from "@/ui/ProblemNote.vue";
import { day } from "@/ui/time";
import MemberPanel from "./MemberPanel.vue";
import MembershipTable from "./MembershipTable.vue";
import FormField from "@/ui/FormField.vue";

/** The teams that a party is in and, if it is a team, its members; each can be removed, and others added. */
const props = defineProps<{ party: string; name: string; kind: string }>();
const { may, zone } = useSession();
const mayOrder = may("teams.order");
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
/** What is looked for by name, and whether there are too many for one page, so that the service has to look. */
const wanted = ref("");
const many = ref(false);
const apart = ref("");
/** Where members are looked for, the teams have a search of their own. */
const wantedTeam = computed({
  get: () => (props.kind === "team" ? apart : wanted).value,
  set: (word) => ((props.kind === "team" ? apart : wanted).value = word),
});
const q = computed(() => (many.value ? wanted.value.trim() : ""));
const asked = (word: Ref<string>) =>
  useQuery({
    queryKey: computed(() => ["parties", "memberships", props.party, word.value]),
    queryFn: () =>
      take(
        api.GET("/parties/{party}/memberships", {
          params: { path: { party: props.party }, query: { q: word.value, limit: 500 } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
const whole = asked(ref(""));
const found = asked(q);
watch(whole.data, (there) => (many.value ||= Boolean(there?.next)), { immediate: true });
watch(
  () => props.party,
  () => ([many.value, wanted.value, apart.value] = [false, "", ""]),
);
// Of a team it is its members that are looked for: the teams that it is in are shown as they are.
const teams = computed(() => (props.kind === "team" ? whole : found).data.value?.teams ?? []);
const members = computed(() => found.data.value?.members ?? []);
const other = ref("");
type Action = "add-member" | "remove-member";
/** The member and the team of the panel that is open, as the address of the page says. */
const open = computed(() => {
  const { team, member, act, at } = route.query;
  if (typeof team !== "string" || typeof member !== "string") return null;
  const action: Action = act === "add-member" ? act : "remove-member";
  return { team, member, action, provider: typeof at === "string" ? at : undefined };
});
const underWay = computed(
  () =>
    [...teams.value, ...members.value].find(
      (one) => one.team.ref === open.value?.team && one.member.ref === open.value?.member,
    )?.order,
);
function show(query: Record<string, string>): void {
  void router.push({ path: route.path, query: { show: "teams", ...query } });
}
function add(): void {
  const wanted = other.value.trim();
  if (!wanted) return;
  const who =
    props.kind === "team" ? { team: props.party, member: wanted } : { team: wanted, member: props.party };
  show({ ...who, act: "add-member" });
}
function again(): void {
  void queries.invalidateQueries({ queryKey: ["parties", "memberships"] });
}
</script>

<template>
  <div>
    <ProblemNote v-if="found.error.value" :error="found.error.value" class="max-w-xl" />
    <p v-else-if="found.isPending.value" class="text-mute" role="status">Loading…</p>
    <template v-else>
      <template v-if="kind === 'team'">
        <h3 class="section">Members</h3>
        <p v-if="!members.length && !q" class="text-mute">Nobody is in {{ name }}.</p>
        <MembershipTable
          v-else
          v-model="wanted"
          :memberships="members"
          :many="many"
          of="member"
          :may-order="mayOrder"
          :day="(at: string | null) => day(at, zone)"
          @remove="(one) => show({ team: one.team.ref, member: one.member.ref, at: one.provider.ref })"
        />
      </template>
      <h3 class="section">In these teams</h3>
      <p v-if="!teams.length && (!q || kind === 'team')" class="text-mute">{{ name }} is in no team.</p>
      <MembershipTable
        v-else
        v-model="wantedTeam"
        :memberships="teams"
        :many="many && kind !== 'team'"
        of="team"
        :may-order="mayOrder"
        :day="(at: string | null) => day(at, zone)"
        @remove="(one) => show({ team: one.team.ref, member: one.member.ref, at: one.provider.ref })"
      />
      <p class="small mt-2">Directly; teams within teams are under “Access”.</p>
      <form v-if="mayOrder" class="mt-6 flex max-w-xl flex-wrap items-end gap-[10px]" @submit.prevent="add">
        <FormField
          class="grow"
          :label="
            kind === 'team' ? `Add to ${name}: an address, a name or a short form` : `Add ${name} to a team`
          "
        >
          <input v-model="other" class="field w-full" maxlength="200" autocomplete="off" name="other" />
        </FormField>
        <button type="submit" class="button" :disabled="!other.trim()">See what happens…</button>
      </form>
    </template>
    <MemberPanel
      v-if="open && !found.isPending.value"
      :key="`${open.team} ${open.member} ${open.action}`"
      v-bind="open"
      :under="underWay"
      @changed="again"
      @close="show({})"
    />
  </div>
</template>
