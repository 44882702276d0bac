<script setup lang="ts">
import { computed } from "vue";
import { useNow } from "./clock";
import { written } from "./time";

/** A day: typed or chosen as the browser does it, and below it written out, with how far away it is. */
defineOptions({ inheritAttrs: false });
const day = defineModel<string | undefined>({ required: true });
const now = useNow();
const said = computed(() => written(day.value ?? "", now.value));
</script>

<template>
  <span class="inline-block align-top">
    <input v-model="day" type="date" class="field" min="1900-01-01" max="2899-12-31" v-bind="$attrs" />
    <!-- The field itself says the day to whoever hears it. -->
    <span v-if="said" class="small block" aria-hidden="true">{{ said }}</span>
  </span>
</template>
