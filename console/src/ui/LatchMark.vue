<template>
  <span class="flex items-center gap-2 font-serif text-lead leading-none font-semibold">
    <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
      <path d="M2 11h9M15 4v14M15 11h5" fill="none" stroke="currentColor" stroke-width="2.4" />
      <circle cx="11" cy="11" r="2.6" class="fill-act" />
    </svg>
    Open Latch
  </span>
</template>
