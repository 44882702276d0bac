<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { reactive } from "vue";
import { api, take, type Person } from "@/api/client";
import FormField from "@/ui/FormField.vue";
import ProblemNote from "@/ui/ProblemNote.vue";
import RoleChoice from "./RoleChoice.vue";

/** Invite someone by letter; they choose their own name and password. */
const emit = defineEmits<{ sent: [string]; close: [] }>();
const queries = useQueryClient();
const form = reactive({ address: "", name: "", role: "reviewer" as Person["role"] });
const invite = useMutation({
  mutationFn: () =>
    take(api.POST("/people", { body: { ...form, name: form.name.trim() ? form.name : null } })),
  onSuccess: async (person) => {
    await queries.invalidateQueries({ queryKey: ["people"] });
    emit("sent", person.address);
  },
});
</script>

<template>
  <h2 class="pr-6">Invite someone</h2>
  <p class="mt-2 text-mute">
    They get a letter with a link to choose a password. Until then they can do nothing here.
  </p>
  <form class="mt-4 grid gap-4" @submit.prevent="invite.mutate()">
    <FormField label="Address">
      <input
        v-model="form.address"
        class="field w-full"
        type="email"
        required
        maxlength="200"
        autocomplete="off"
        name="address"
      />
    </FormField>
    <FormField label="Their name, for the letter (optional)">
      <input v-model="form.name" class="field w-full" maxlength="200" autocomplete="off" name="name" />
    </FormField>
    <RoleChoice v-model="form.role" />
    <ProblemNote v-if="invite.error.value" :error="invite.error.value" />
    <div class="flex gap-[10px]">
      <button type="submit" class="button button-act" :disabled="invite.isPending.value">
        Send the invitation
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </div>
  </form>
  <p class="mt-5 font-mono text-small break-words text-mute">
    openlatch people invite {{ form.address || "ADDRESS" }} --role {{ form.role }}
  </p>
</template>
