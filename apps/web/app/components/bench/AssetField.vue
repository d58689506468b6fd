<script setup lang="ts">
import type { AssetKind, AssetRef } from '@hematine/core'
import { computed, onMounted, ref } from 'vue'
import { useAssets } from '~/stores/assets'
import { useNotices } from '~/stores/notices'

/** Largest file taken, below what a request may carry once it is written in base 64. */
const mostBytes = 11_000_000

/** Chooses a lookup table or a picture from the library, or adds one from a file. */
const asset = defineModel<AssetRef | null>({ required: true })
const { kind, label } = defineProps<{ kind: AssetKind; label: string }>()
const assets = useAssets()
const notices = useNotices()
const chooser = ref<HTMLInputElement>()
const busy = ref(false)
onMounted(() => notices.attempt(() => assets.load()))

const choices = computed(() => {
  const known = assets.list.filter(entry => entry.kind === kind)
  // A treatment that was read from a file may name one that the library has not.
  return asset.value && !known.some(entry => entry.sha256 === asset.value!.sha256)
    ? [...known, { ...asset.value, about: 'not in the library' }]
    : known
})

function choose(sha256: string): void {
  const chosen = choices.value.find(entry => entry.sha256 === sha256)
  asset.value = chosen ? { sha256: chosen.sha256, name: chosen.name } : null
}

async function add(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const [file] = input.files ?? []
  input.value = ''
  if (!file) return
  if (file.size > mostBytes) {
    notices.problem(`${file.name} is larger than ${mostBytes / 1e6} MB. Make it smaller and add it again.`)
    return
  }
  busy.value = true
  const added = await notices.attempt(() => assets.add(file, kind))
  busy.value = false
  if (added) asset.value = added
}
</script>

<template>
  <span class="asset">
    <select
      :value="asset?.sha256 ?? ''"
      :aria-label="label"
      @change="event => choose((event.target as HTMLSelectElement).value)"
    >
      <option value="">none chosen</option>
      <option v-for="entry in choices" :key="entry.sha256" :value="entry.sha256">
        {{ entry.name }} ({{ entry.about }})
      </option>
    </select>
    <button type="button" class="add" :disabled="busy" @click="chooser?.click()">
      {{ busy ? 'Adding' : 'Add a file' }}
    </button>
    <input
      ref="chooser"
      type="file"
      class="visually-hidden"
      tabindex="-1"
      :accept="kind === 'picture' ? 'image/*' : '.cube'"
      :aria-label="kind === 'picture' ? 'Picture to add' : 'Table to add (.cube)'"
      @change="add"
    />
  </span>
</template>

<style scoped>
.asset {
  display: grid;
  gap: 2px;
  justify-items: start;
  min-width: 0;
}
select {
  width: 100%;
  min-width: 0;
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 2px 6px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 24px;
}
.add {
  min-height: 24px;
  white-space: nowrap;
  text-decoration: underline;
}
</style>
