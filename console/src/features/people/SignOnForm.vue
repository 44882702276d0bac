<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";
import { api, take, type Person } from "@/api/client";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import { ROLES } from "./roles";

/** Add a single sign-on, or change one: what it says of itself is read before anything is kept. */
const props = defineProps<{ of: string }>();
const emit = defineEmits<{ close: [] }>();
const queries = useQueryClient();
const found = useQuery({ queryKey: ["sign-ons"], queryFn: () => take(api.GET("/sign-ons")) });
const back = computed(() => found.data.value?.back ?? "");
const before = computed(() => found.data.value?.items.find((one) => one.id === props.of));
const form = reactive({
  name: "",
  issuer: "",
  client_id: "",
  secret: "",
  claim: "",
  second_factor: false,
  rows: [] as { value: string; role: Person["role"] }[],
});
watch(
  before,
  (service) => {
    if (!service) return;
    const { name, issuer, client_id, claim, second_factor, roles } = service;
    const rows = Object.entries(roles).map(([value, role]) => ({ value, role }));
    Object.assign(form, { name, issuer, client_id, claim, second_factor, rows });
  },
  { immediate: true },
);
const save = useMutation({
  mutationFn: () => {
    const { rows, secret, ...rest } = form;
    const given = rows.filter((row) => row.value.trim());
    const body = {
      ...rest,
      claim: given.length ? form.claim : "",
      roles: Object.fromEntries(given.map((row) => [row.value.trim(), row.role])),
      secret: secret === "" && before.value ? null : secret,
    };
    if (!before.value) return take(api.POST("/sign-ons", { body }));
    const path = { sign_on_ref: before.value.id };
    return take(api.PUT("/sign-ons/{sign_on_ref}", { params: { path }, body }));
  },
  onSuccess: async () => {
    await queries.invalidateQueries({ queryKey: ["sign-ons"] });
    emit("close");
  },
});
</script>

<template>
  <h2 class="pr-6">{{ before ? `Change ${before.name}` : "Add a single sign-on" }}</h2>
  <p class="mt-2 text-mute">
    {{
      before
        ? "Redirect URI:"
        : "Create a client for Open Latch there (confidential, authorization code flow) with the redirect URI:"
    }}
  </p>
  <p class="mt-1 font-mono text-small break-all select-all">{{ back }}</p>
  <form class="mt-4 grid gap-4" @submit.prevent="save.mutate()">
    <FormField label="Name" hint="As people see it when they sign in.">
      <input
        v-model="form.name"
        class="field w-full"
        required
        maxlength="60"
        autocomplete="off"
        name="name"
      />
    </FormField>
    <FormField
      label="Issuer"
      :hint="
        before
          ? 'The issuer cannot be changed: add another service instead.'
          : 'Its issuer address, exactly as it writes it.'
      "
    >
      <input
        v-model="form.issuer"
        class="field w-full font-mono"
        type="url"
        required
        :readonly="!!before"
        maxlength="500"
        placeholder="https://login.example"
        autocomplete="off"
        name="issuer"
      />
    </FormField>
    <FormField label="Client id">
      <input
        v-model="form.client_id"
        class="field w-full font-mono"
        required
        maxlength="500"
        autocomplete="off"
        name="client"
      />
    </FormField>
    <FormField label="Client secret" :hint="before ? 'Leave it empty to keep the present one.' : undefined">
      <input
        v-model="form.secret"
        class="field w-full font-mono"
        type="password"
        maxlength="2000"
        autocomplete="off"
        name="secret"
      />
    </FormField>
    <fieldset>
      <legend class="font-[620]">Who can sign in</legend>
      <p class="small mt-1">
        {{
          form.rows.length
            ? "Whoever has one of these values, in the role beside it, checked at each sign-in; nobody else."
            : "Whoever is here or invited already, by the address that it has verified. Their roles stay as they are."
        }}
      </p>
      <FormField v-if="form.rows.length" label="The claim" class="mt-3">
        <input
          v-model="form.claim"
          class="field w-full font-mono"
          required
          maxlength="200"
          placeholder="groups"
          name="claim"
        />
      </FormField>
      <div v-for="(row, place) in form.rows" :key="place" class="mt-2 flex gap-2">
        <input
          v-model="row.value"
          class="field min-w-0 flex-1 font-mono"
          required
          maxlength="200"
          :aria-label="`Value ${place + 1}`"
        />
        <select v-model="row.role" class="field" :aria-label="`Role for value ${place + 1}`">
          <option v-for="[role] in ROLES" :key="role" :value="role">{{ role }}</option>
        </select>
        <button
          type="button"
          class="link px-1"
          :aria-label="`Remove value ${place + 1}`"
          @click="form.rows.splice(place, 1)"
        >
          Remove
        </button>
      </div>
      <button type="button" class="link mt-2" @click="form.rows.push({ value: '', role: 'member' })">
        Give roles by a claim
      </button>
    </fieldset>
    <label class="flex items-baseline gap-2">
      <input v-model="form.second_factor" type="checkbox" name="second-factor" />
      <span>It asks for a second factor itself; Open Latch asks for none then</span>
    </label>
    <ProblemNote v-if="save.error.value" :error="save.error.value" />
    <div class="flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="save.isPending.value">
        {{ before ? "Change it" : "Add it" }}
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>
