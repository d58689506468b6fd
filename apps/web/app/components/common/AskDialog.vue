<script setup lang="ts">
/** A small dialog with a title, a body and the buttons that end it. */
const open = defineModel<boolean>({ required: true })
const { title, width = 460 } = defineProps<{ title: string; width?: number }>()
</script>

<template>
  <VDialog v-model="open" :max-width="width" :aria-label="title" scrollable>
    <VCard>
      <div class="bar">
        <h2>{{ title }}</h2>
      </div>
      <div class="body scroll"><slot /></div>
      <div class="ends"><slot name="buttons" /></div>
    </VCard>
  </VDialog>
</template>

<style scoped>
.body {
  padding: 16px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.ends {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  padding: 0 16px 16px;
}
</style>
