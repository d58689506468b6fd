<script setup lang="ts">
import { describeBytes, describeClock, describeCodec, describeMotionShort, describePictureSize, type SourceRecord } from '@hematine/core'
import { computed } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { toggled, useOpenRow } from '~/composables/useOpenRow'

const { sources } = defineProps<{ sources: readonly SourceRecord[] }>()
const open = defineModel<number | null>('open', { required: true })
const selected = defineModel<number[]>('selected', { required: true })

const headers = [
  { title: 'Source', key: 'name' }, { title: 'Picture', key: 'picture' }, { title: 'Rate', key: 'motion' }, { title: 'Codec', key: 'codec' },
  { title: 'Length', key: 'seconds', align: 'end' as const }, { title: 'Size', key: 'bytes', align: 'end' as const }, { title: 'Sound', key: 'sound' },
]
/** Rows with the values that the columns show and sort by. */
const rows = computed(() => sources.map(source => ({
  ...source,
  picture: source.facts?.video ? describePictureSize(source.facts.video) : '',
  motion: source.facts?.video ? describeMotionShort(source.facts.video) : '',
  codec: source.facts?.video ? describeCodec(source.facts.video.codec) : source.facts ? 'sound only' : '',
  seconds: source.facts?.durationSeconds ?? -1,
  bytes: source.facts?.bytes ?? -1,
  sound: source.facts ? soundOf(source.facts.audio) : '',
  selectable: source.state === 'ready',
})))

function soundOf(audio: NonNullable<SourceRecord['facts']>['audio']): string {
  if (audio.length === 0) return 'none'
  return `${audio.length > 1 ? `${audio.length} x ` : ''}${describeCodec(audio[0]!.codec)}`
}

const { onKey, rowProps } = useOpenRow(rows, open, id => {
  if (rows.value.find(row => row.id === id)?.selectable) selected.value = toggled(selected.value, id)
})
</script>

<template>
  <VDataTableVirtual
    v-model="selected" class="table" :headers="headers" :items="rows" item-value="id" item-selectable="selectable" show-select :row-props="rowProps" height="100%" :item-height="30"
    aria-label="Sources" @keydown="onKey"
  >
    <template #[`item.name`]="{ item }">
      <span class="name"><StateMark :state="item.state === 'ready' ? (item.facts!.remarks.length > 0 ? 'look' : 'ready') : item.state" /><span class="ellipsis" :title="item.relativePath">{{ item.name }}</span></span>
    </template>
    <template #[`item.picture`]="{ item }">
      <span v-if="item.state === 'refused'" class="bad ellipsis reason" :title="item.reason ?? ''">{{ item.reason }}</span>
      <span v-else-if="item.state === 'reading'" class="muted">being read</span>
      <span v-else class="number">{{ item.picture }}</span>
    </template>
    <template #[`item.seconds`]="{ item }"><span class="number">{{ item.seconds < 0 ? '' : describeClock(item.seconds) }}</span></template>
    <template #[`item.bytes`]="{ item }"><span class="number">{{ item.bytes < 0 ? '' : describeBytes(item.bytes) }}</span></template>
    <template #[`item.motion`]="{ item }"><span class="number">{{ item.motion }}</span></template>
  </VDataTableVirtual>
</template>

<style scoped>
.table { flex: 1; min-height: 0; }
.table :deep(table) { table-layout: auto; }
.name { display: flex; align-items: center; gap: 8px; max-width: 230px; }
.reason { display: block; max-width: 0; min-width: 100%; overflow: visible; white-space: nowrap; }
</style>
