<script setup lang="ts">
/** The head of a page of a station, with the way to its others, and what can be done on it. */
const { name, pages } = defineProps<{ name: string; pages: readonly { path: string; name: string }[] }>()
</script>

<template>
  <div class="bar">
    <h1>{{ name }}</h1>
    <nav class="pages" :aria-label="`Pages of ${name}`">
      <NuxtLink v-for="page in pages" :key="page.path" :to="page.path" exact-active-class="here">{{
        page.name
      }}</NuxtLink>
    </nav>
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
  white-space: nowrap;
}
a:hover {
  color: rgb(var(--v-theme-on-surface));
}
.here {
  color: rgb(var(--v-theme-on-surface));
  box-shadow: inset 0 -2px 0 var(--accent);
}
</style>
