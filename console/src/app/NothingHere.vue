<template>
  <section class="px-7 py-6">
    <h1>Page not found</h1>
    <p class="mt-2 text-mute">There is no page at this address. Nothing was lost.</p>
    <RouterLink to="/" class="link mt-4 inline-block">To the start</RouterLink>
  </section>
</template>
