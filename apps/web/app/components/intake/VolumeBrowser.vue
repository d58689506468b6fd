<script setup lang="ts">
import { describeBytes, framesPresent, rational } from '@hematine/core'
import { mdiFolderOutline, mdiSubdirectoryArrowLeft } from '@mdi/js'
import { computed, ref, watch } from 'vue'
import type { DirectoryListing } from '#shared/api'
import AskDialog from '~/components/common/AskDialog.vue'
import StateMark from '~/components/common/StateMark.vue'
import { sequenceRates } from '~/composables/sequence-rates'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const emit = defineEmits<{ close: [] }>()
const order = useOrder()
const notices = useNotices()
const open = computed({ get: () => true, set: value => { if (!value) emit('close') } })
const volumeId = ref(order.sourceVolumes[0]?.id ?? null)
const path = ref('')
const listing = ref<DirectoryListing | null>(null)
const chosen = ref<string[]>([])
const rate = ref(rational(25))

const fresh = computed(() => listing.value?.items.filter(item => item.sourceId === null) ?? [])
const chosenItems = computed(() => fresh.value.filter(item => chosen.value.includes(item.path)))
const hasSequence = computed(() => chosenItems.value.some(item => item.kind === 'sequence'))
const parent = computed(() => path.value.includes('/') ? path.value.slice(0, path.value.lastIndexOf('/')) : '')

watch([volumeId, path], async () => {
  if (volumeId.value === null) return
  chosen.value = []
  const asked = [volumeId.value, path.value] as const
  const answer = await notices.attempt(() => call('listDirectory', { parameters: { id: asked[0] }, query: { path: asked[1], ...(order.order ? { orderId: order.order.id } : {}) } }))
  if (answer && asked[0] === volumeId.value && asked[1] === path.value) listing.value = answer
}, { immediate: true })

function chooseAll(): void {
  chosen.value = chosen.value.length === fresh.value.length ? [] : fresh.value.map(item => item.path)
}

/** The folder that is shown, with all below it: gone through once, or watched from now on. */
async function takeFolder(how: 'beginScan' | 'beginWatch'): Promise<void> {
  const body = { orderId: order.order!.id, volumeId: volumeId.value!, path: path.value, frameRate: rate.value }
  const begun = await notices.attempt(async () => how === 'beginScan' ? { scans: [await call('beginScan', { body })] } : { watches: [await call('beginWatch', { body })] })
  if (!begun) return
  order.take(begun)
  emit('close')
}

async function bringIn(): Promise<void> {
  const arrivals = chosenItems.value.map(item => ({ kind: item.kind, volumeId: volumeId.value!, path: item.path, ...(item.kind === 'sequence' ? { frameRate: rate.value } : {}) }))
  const answer = await notices.attempt(() => call('bringIn', { body: { orderId: order.order!.id, arrivals } }))
  if (!answer) return
  order.noteSources(answer.brought.map(source => source.id))
  emit('close')
}
</script>

<template>
  <AskDialog v-model="open" title="Bring in from a volume" :width="720">
    <VSelect v-model="volumeId" :items="order.sourceVolumes" item-value="id" item-title="name" label="Source volume" no-data-text="No source volume is registered; see Equipment" @update:model-value="path = ''" />
    <div class="muted">{{ path === '' ? 'Top of the volume' : path }}</div>
    <div class="entries scroll" role="group" aria-label="Contents">
      <button v-if="path !== ''" type="button" class="entry" @click="path = parent"><VIcon :icon="mdiSubdirectoryArrowLeft" size="16" aria-hidden="true" /> one directory up</button>
      <template v-if="listing">
        <button v-for="directory in listing.directories" :key="directory.path" type="button" class="entry" @click="path = directory.path"><VIcon :icon="mdiFolderOutline" size="16" aria-hidden="true" /> <span class="ellipsis">{{ directory.name }}</span></button>
        <label v-for="item in listing.items" :key="item.path" class="entry">
          <input v-model="chosen" type="checkbox" :value="item.path" :disabled="item.sourceId !== null">
          <span class="ellipsis">{{ item.name }}</span>
          <span class="spacer" />
          <span v-if="item.sourceId !== null" class="muted">in the order</span>
          <span v-else-if="item.sequence" class="number muted">{{ framesPresent(item.sequence) }} frames<template v-if="item.sequence.missing.length > 0">, gaps</template></span>
          <span v-else class="number muted">{{ describeBytes(item.bytes ?? 0) }}</span>
        </label>
        <div v-for="entry in listing.refused" :key="entry.name" class="entry"><StateMark state="refused" /> <span class="ellipsis">{{ entry.name }}</span> <span class="muted ellipsis">{{ entry.reason }}</span></div>
        <div v-if="listing.directories.length + listing.items.length + listing.refused.length === 0" class="entry muted">This directory is empty.</div>
      </template>
      <div v-else class="entry muted" role="status">{{ volumeId === null ? 'Register a source volume under Equipment first.' : 'Reading the directory' }}</div>
    </div>
    <div class="folder">
      <span class="muted">This folder and all below it:</span>
      <VBtn :disabled="!listing || !order.order" @click="takeFolder('beginScan')">Bring in everything</VBtn>
      <VBtn :disabled="!listing || !order.order" @click="takeFolder('beginWatch')">Watch for new files</VBtn>
    </div>
    <template #buttons>
      <VSelect v-if="hasSequence" v-model="rate" class="rate" :items="sequenceRates" label="Rate of sequences" />
      <VBtn variant="text" :disabled="fresh.length === 0" @click="chooseAll">{{ fresh.length > 0 && chosen.length === fresh.length ? 'Choose none' : `Choose all ${fresh.length}` }}</VBtn>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn color="primary" :disabled="chosenItems.length === 0 || !order.order" @click="bringIn">Bring in {{ chosenItems.length }} {{ chosenItems.length === 1 ? 'item' : 'items' }}</VBtn>
    </template>
  </AskDialog>
</template>

<style scoped>
.entries { height: 340px; }
.rate { max-width: 160px; }
.folder { display: flex; align-items: center; gap: 8px; }
input { accent-color: var(--accent); }
</style>
