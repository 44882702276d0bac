<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import Shell from "./Shell.vue";

const route = useRoute();
const bare = computed(() => route.meta.bare === true);
</script>

<template>
  <RouterView v-if="bare" />
  <Shell v-else />
</template>
