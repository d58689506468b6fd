<script setup lang="ts">
import { mdiTableColumn } from '@mdi/js'
import { columns, useColumns } from '~/composables/useColumns'

/** Which columns the table of sources shows. */
const { chosen } = useColumns()
</script>

<template>
  <VMenu :close-on-content-click="false" location="bottom end">
    <template #activator="{ props: activator }"
      ><VBtn v-bind="activator" variant="text" :prepend-icon="mdiTableColumn">Columns</VBtn></template
    >
    <VCard class="columns" role="group" aria-label="Columns">
      <label v-for="column in columns" :key="column.key"
        ><input v-model="chosen" type="checkbox" :value="column.key" /> {{ column.name }}</label
      >
    </VCard>
  </VMenu>
</template>

<style scoped>
.columns {
  padding: 8px 14px;
  border: 1px solid var(--line);
}
label {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 26px;
}
input {
  margin: 0;
}
</style>
