<script setup lang="ts">
/** Beside the name of someone who is not in one's own circle. */
</script>

<template>
  <em
    class="ml-[6px] flex-none self-center rounded-[3px] border border-current px-1 text-mini leading-[1.35] text-act not-italic"
    >outside</em
  >
</template>
