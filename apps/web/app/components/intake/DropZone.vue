<script setup lang="ts">
import { ref } from 'vue'

/** Takes files and folders that are dropped anywhere inside it. */
const emit = defineEmits<{ files: [files: { file: File; directory: string }[]] }>()
const depth = ref(0)

function carriesFiles(event: DragEvent): boolean {
  return event.dataTransfer?.types.includes('Files') ?? false
}

async function drop(event: DragEvent): Promise<void> {
  depth.value = 0
  // Entries can only be asked for while the event lasts; what is in them is read after.
  const items = [...(event.dataTransfer?.items ?? [])]
    .filter(item => item.kind === 'file')
    .map(item => ({ entry: item.webkitGetAsEntry(), file: item.getAsFile() }))
  const files = (
    await Promise.all(
      items.map(({ entry, file }) => (entry ? filesOf(entry, '') : file ? [{ file, directory: '' }] : [])),
    )
  ).flat()
  if (files.length > 0) emit('files', files)
}

async function filesOf(entry: FileSystemEntry, directory: string): Promise<{ file: File; directory: string }[]> {
  if (entry.name.startsWith('.')) return []
  if (entry.isFile)
    return [
      {
        file: await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)),
        directory,
      },
    ]
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const inside = directory === '' ? entry.name : `${directory}/${entry.name}`
  const found: { file: File; directory: string }[] = []
  // A reader hands out at most a hundred entries at a time.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject))
    if (some.length === 0) return found
    for (const child of some) found.push(...(await filesOf(child, inside)))
  }
}
</script>

<template>
  <div
    class="zone"
    @dragenter="
      event => {
        if (carriesFiles(event)) depth++
      }
    "
    @dragleave="
      event => {
        if (carriesFiles(event)) depth--
      }
    "
    @dragover.prevent
    @drop.prevent="drop"
  >
    <slot />
    <div v-if="depth > 0" class="veil" aria-hidden="true">Drop to upload into the source volume</div>
  </div>
</template>

<style scoped>
.zone {
  position: relative;
}
.veil {
  position: absolute;
  inset: 8px;
  display: grid;
  place-items: center;
  border: 2px dashed var(--accent-text);
  background: rgb(var(--v-theme-background) / 0.85);
  pointer-events: none;
  z-index: 5;
}
</style>
