<template>
  <section class="px-7 py-6">
    <h1>Page not found</h1>
    <p class="mt-2 text-mute">There is no page at this address. Nothing was lost.</p>
    <RouterLink to="/inventory" class="link mt-4 inline-block">Back to the inventory</RouterLink>
  </section>
</template>
