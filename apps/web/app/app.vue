<script setup lang="ts">
import AppShell from '~/components/shell/AppShell.vue'
</script>

<template>
  <VApp>
    <AppShell>
      <NuxtPage />
    </AppShell>
  </VApp>
</template>
