<script setup lang="ts">
import { ref } from 'vue'

/** Takes files that are dropped anywhere inside it. */
const emit = defineEmits<{ files: [files: File[]] }>()
const depth = ref(0)

function carriesFiles(event: DragEvent): boolean {
  return event.dataTransfer?.types.includes('Files') ?? false
}

function drop(event: DragEvent): void {
  depth.value = 0
  const files = [...event.dataTransfer?.files ?? []]
  if (files.length > 0) emit('files', files)
}
</script>

<template>
  <div class="zone" @dragenter="event => { if (carriesFiles(event)) depth++ }" @dragleave="event => { if (carriesFiles(event)) depth-- }" @dragover.prevent @drop.prevent="drop">
    <slot />
    <div v-if="depth > 0" class="veil" aria-hidden="true">Drop to upload into the source volume</div>
  </div>
</template>

<style scoped>
.zone { position: relative; }
.veil { position: absolute; inset: 8px; display: grid; place-items: center; border: 2px dashed var(--accent-text); background: rgb(var(--v-theme-background) / 0.85); pointer-events: none; z-index: 5; }
</style>
