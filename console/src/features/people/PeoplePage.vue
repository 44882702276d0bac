<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type Person } from "@/api/client";
import { useSession } from "@/api/session";
import DataTable, { type Column } from "@/ui/DataTable.vue";
import ListPage from "@/ui/ListPage.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import SidePanel from "@/ui/SidePanel.vue";
import { useNow } from "@/ui/clock";
import { ago, exact } from "@/ui/time";
import { useQueryParams } from "@/ui/useQueryParams";
import InviteForm from "./InviteForm.vue";
import PersonPanel from "./PersonPanel.vue";

/** Who signs in to this workspace, in which role, and who is invited. */
const COLUMNS: Column[] = [
  { key: "name", title: "Name", class: "min-w-[190px]" },
  { key: "role", title: "Role", class: "w-[110px]" },
  { key: "state", title: "Sign-in", class: "min-w-[150px]" },
  { key: "factor", title: "Second factor", cell: "whitespace-nowrap" },
  { key: "seen", title: "Last seen", cell: "whitespace-nowrap" },
];
const { param, go } = useQueryParams();
const open = param("person");
const now = useNow();
const session = useSession();
const mayInvite = session.may("people.invite");
const queries = useQueryClient();
const found = useQuery({ queryKey: ["people"], queryFn: () => take(api.GET("/people")) });
const people = computed(() => found.data.value?.items ?? []);
const guarded = computed(() => new Set(found.data.value?.second_factor ?? []));
const demanded = computed(() => session.me.value?.workspace.second_factor ?? []);
const shown = computed(() => people.value.find((one) => one.id === open.value));
const invited = ref("");
const again = useMutation({
  mutationFn: (person: string) =>
    take(api.POST("/people/{person}/invitation", { params: { path: { person } } })),
  onSuccess: (one) => (invited.value = one.address),
});
const lead = computed(() => {
  const able = people.value.filter((one) => one.state === "active").length;
  const owners = people.value.filter((one) => one.state === "active" && one.role === "owner").length;
  if (!found.data.value) return "";
  const who = owners === 1 ? "one of them is an owner" : `${owners} of them are owners`;
  return `${able} ${able === 1 ? "person" : "people"} can sign in; ${who}.`;
});
const SIGN_IN: Record<Person["state"], string> = {
  active: "can sign in",
  invited: "invited, not yet accepted",
  disabled: "disabled",
  removed: "removed",
};
async function changed(): Promise<void> {
  invited.value = "";
  await queries.invalidateQueries({ queryKey: ["people"] });
}
function sent(address: string): void {
  invited.value = address;
  go({ invite: "" });
}
const inviting = param("invite");
</script>

<template>
  <ListPage
    title="People"
    own
    :lead="lead"
    :error="found.error.value"
    :pending="found.isPending.value"
    :empty="!people.length"
    nothing="Nobody signs in here yet."
    hint="Invite someone by letter."
  >
    <template #filter>
      <div class="mt-4 flex flex-wrap items-center gap-4 pr-6">
        <button
          v-if="mayInvite"
          type="button"
          class="button button-act"
          @click="go({ invite: 'yes', person: '' })"
        >
          Invite someone…
        </button>
        <p v-if="invited" role="status">
          A letter is on its way to <b class="font-[620]">{{ invited }}</b>. Its link works for 7 days.
        </p>
        <ProblemNote v-if="again.error.value" :error="again.error.value" class="max-w-xl" />
      </div>
    </template>
    <DataTable
      :columns="COLUMNS"
      :rows="people"
      :key-of="(one) => one.id"
      :least="560"
      opens
      :is-open="(one) => one.id === open"
      :faint="(one) => one.state === 'disabled'"
      @open="(one) => go({ person: one.id, invite: '' })"
    >
      <template #name="{ row: one }">
        <button type="button" class="text-left font-[620]" @click.stop="go({ person: one.id, invite: '' })">
          {{ one.name }}
        </button>
        <span v-if="one.name !== one.address" class="small block break-words">{{ one.address }}</span>
      </template>
      <template #role="{ row: one }">{{ one.role }}</template>
      <template #state="{ row: one }">
        {{ SIGN_IN[one.state] }}
        <button
          v-if="one.state === 'invited' && mayInvite"
          type="button"
          class="link ml-2"
          :disabled="again.isPending.value"
          :aria-label="`Send the invitation to ${one.address} again`"
          @click.stop="again.mutate(one.id)"
        >
          Send again
        </button>
      </template>
      <template #factor="{ row: one }">
        <template v-if="one.state === 'active'">
          {{ guarded.has(one.id) ? "yes" : "none" }}
          <b v-if="!guarded.has(one.id) && demanded.includes(one.role)" class="font-[620] text-high"
            >needed</b
          >
        </template>
      </template>
      <template #seen="{ row: one }">
        <span :title="exact(one.seen_at)">{{ one.seen_at ? ago(one.seen_at, now) : "never" }}</span>
      </template>
    </DataTable>
    <p class="mt-5 font-mono text-small text-mute">openlatch people list</p>
    <template #panel>
      <SidePanel v-if="inviting && mayInvite" label="Invite someone" @close="go({ invite: '' })">
        <InviteForm @sent="sent" @close="go({ invite: '' })" />
      </SidePanel>
      <SidePanel
        v-else-if="shown"
        :key="shown.id"
        :label="`Person ${shown.name}`"
        @close="go({ person: '' })"
      >
        <PersonPanel
          :person="shown"
          :guarded="guarded.has(shown.id)"
          @changed="changed()"
          @gone="go({ person: '' })"
        />
      </SidePanel>
    </template>
  </ListPage>
</template>
