<script setup lang="ts">
import type { Person } from "@/api/client";
import { ROLES } from "./roles";

/** One of the roles, each with what it may do. */
const chosen = defineModel<Person["role"]>({ required: true });
</script>

<template>
  <fieldset>
    <legend class="small mb-1">Role</legend>
    <label v-for="[role, may] in ROLES" :key="role" class="flex items-baseline gap-2 py-[3px]">
      <input v-model="chosen" type="radio" name="role" :value="role" />
      <span
        ><b class="font-[620]">{{ role }}</b> <span class="text-mute">{{ may }}</span></span
      >
    </label>
  </fieldset>
</template>
