<script setup lang="ts">
import PagesBar from '~/components/common/PagesBar.vue'

/** The head of a page of Equipment. */
const pages = [
  { path: '/equipment', name: 'Volumes and workers' },
  { path: '/equipment/forecasts', name: 'Forecasts and results' },
]
</script>

<template>
  <PagesBar name="Equipment" :pages="pages">
    <span class="spacer" />
    <slot />
  </PagesBar>
</template>
