<script setup lang="ts">
import PagesBar from '~/components/common/PagesBar.vue'

/** The head of a page of Balance. */
const pages = [
  { path: '/balance', name: 'This order' },
  { path: '/balance/ways', name: 'Ways' },
  { path: '/balance/renders', name: 'Render or treat' },
  { path: '/balance/orders', name: 'All orders' },
]
</script>

<template>
  <PagesBar name="Balance" :pages="pages"><slot /></PagesBar>
</template>
