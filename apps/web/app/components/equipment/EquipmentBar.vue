<script setup lang="ts">
/** The head of a page of Equipment, with the way to the others, and what can be done on it. */
const pages = [
  { path: '/equipment', name: 'Volumes and workers' },
  { path: '/equipment/forecasts', name: 'Forecasts and results' },
]
</script>

<template>
  <div class="bar">
    <h1>Equipment</h1>
    <nav class="pages" aria-label="Pages of Equipment">
      <NuxtLink v-for="page in pages" :key="page.path" :to="page.path" exact-active-class="here">{{
        page.name
      }}</NuxtLink>
    </nav>
    <span class="spacer" />
    <slot />
  </div>
</template>

<style scoped>
.pages {
  display: flex;
  align-self: stretch;
  gap: 4px;
}
a {
  display: flex;
  align-items: center;
  padding: 0 8px;
  color: var(--muted);
  text-decoration: none;
}
a:hover {
  color: rgb(var(--v-theme-on-surface));
}
.here {
  color: rgb(var(--v-theme-on-surface));
  box-shadow: inset 0 -2px 0 var(--accent);
}
</style>
