<script setup lang="ts">
import {
  describeBytes,
  describeClock,
  describeCount,
  type LotRecord,
  type SourceRow,
  type SourceSort,
} from '@hematine/core'
import { computed, ref } from 'vue'
import LongTable from '~/components/common/LongTable.vue'
import LotWords from '~/components/common/LotWords.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import { useColumns } from '~/composables/useColumns'
import type { Line } from '~/composables/useLines'
import { useIntake } from '~/stores/intake'

/** Lots and their sources as one long table. */
const open = defineModel<number | null>('open', { required: true })
const selected = defineModel<Set<number>>('selected', { required: true })
const emit = defineEmits<{ rename: [lotId: number]; move: [] }>()
const intake = useIntake()

const { shown, has, wordsEnd } = useColumns()
const columns = computed(() => [
  { key: 'name', name: 'Source', width: 'minmax(150px, 1.6fr)', sort: 'name' as const },
  ...shown.value,
])

function sortBy(key: SourceSort): void {
  if (intake.sort !== key) {
    intake.sort = key
    intake.descending = false
  } else if (!intake.descending) {
    intake.descending = true
  } else {
    intake.sort = 'came'
    intake.descending = false
  }
}

function onKey(event: KeyboardEvent, line: Line<number | null, LotRecord | null>): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === 'F2' && line.key !== null) {
    event.preventDefault()
    emit('rename', line.key)
  } else if (event.key === 'm' && selected.value.size > 0) {
    event.preventDefault()
    emit('move')
  }
}

/** Sources dragged onto a lot move into it. */
const over = ref<number | null>(null)
const rowAttributes = (row: SourceRow) => ({
  draggable: 'true',
  onDragstart(event: DragEvent) {
    if (!event.dataTransfer) return
    const ids = selected.value.has(row.id) ? [...selected.value] : [row.id]
    event.dataTransfer.setData('application/x-hematine-sources', JSON.stringify(ids))
    event.dataTransfer.effectAllowed = 'move'
  },
})
const groupAttributes = (lotId: number | null) => ({
  class: { over: over.value !== null && over.value === lotId },
  onDragover(event: DragEvent) {
    if (!event.dataTransfer?.types.includes('application/x-hematine-sources') || lotId === null) return
    event.preventDefault()
    over.value = lotId
  },
  onDragleave() {
    over.value = null
  },
  onDrop(event: DragEvent) {
    over.value = null
    const text = event.dataTransfer?.getData('application/x-hematine-sources')
    if (!text || lotId === null) return
    event.stopPropagation()
    void intake.move(JSON.parse(text) as number[], lotId)
  },
})

const oddWords = (lot: LotRecord | null) =>
  lot?.oddOneOut
    ? `odd one of ${intake.lots.find(entry => entry.id === lot.oddOneOut!.lotId)?.name ?? 'another lot'}: ${lot.oddOneOut.differences.join(', ')}`
    : null
</script>

<template>
  <LongTable
    v-model:open="open"
    v-model:selected="selected"
    :list="intake.list"
    :columns="columns"
    label="Sources by lot"
    rows-name="sources"
    :row-name="row => row.name"
    :group-name="lot => lot?.name ?? 'those in no lot'"
    :ids-of="intake.idsOf"
    :sort="intake.sort"
    :descending="intake.descending"
    :row-attributes="rowAttributes"
    :group-attributes="groupAttributes"
    @sort="sortBy"
    @key="onKey"
  >
    <template #group="{ group, count, isOpen }">
      <LotWords
        :style="{ gridColumn: `2 / ${wordsEnd}` }"
        :name="group?.name ?? 'In no lot'"
        :is-open="isOpen"
        :words="`${describeCount(count)} ${count === 1 ? 'source' : 'sources'}: ${group?.reason ?? 'being read, or not usable'}`"
        :title="group?.reason ?? ''"
      />
      <span v-if="has.has('seconds')" role="gridcell" class="number end">{{
        group && group.seconds > 0 ? describeClock(group.seconds) : ''
      }}</span>
      <span v-if="has.has('bytes')" role="gridcell" class="number end">{{
        group ? describeBytes(group.bytes) : ''
      }}</span>
      <span v-if="has.has('jobs')" role="gridcell" />
      <span v-if="has.has('faults')" role="gridcell" class="look ellipsis" :title="oddWords(group) ?? ''"
        ><template v-if="oddWords(group)"><StateMark state="look" /> {{ oddWords(group) }}</template></span
      >
    </template>
    <template #row="{ row }">
      <span role="gridcell" class="name"
        ><StateMark
          :state="
            row.state === 'ready' ? (row.faults.length + row.remarks > 0 ? 'look' : 'ready') : row.state
          " /><MiddleName :name="row.name" :title="row.relativePath"
      /></span>
      <template v-if="row.state === 'refused'"
        ><span role="gridcell" class="bad ellipsis wide" :title="row.reason ?? ''">{{ row.reason }}</span></template
      >
      <template v-else-if="row.state === 'reading'"
        ><span role="gridcell" class="muted wide">being read</span></template
      >
      <template v-else>
        <span v-if="has.has('picture')" role="gridcell" class="number ellipsis" :title="row.picture">{{
          row.picture
        }}</span>
        <span v-if="has.has('rate')" role="gridcell" class="number ellipsis" :title="row.motion">{{ row.motion }}</span>
        <span v-if="has.has('codec')" role="gridcell" class="ellipsis" :title="row.codec">{{ row.codec }}</span>
        <span v-if="has.has('sound')" role="gridcell" class="ellipsis" :title="row.sound">{{ row.sound }}</span>
        <span v-if="has.has('seconds')" role="gridcell" class="number end">{{
          row.seconds === null ? '' : describeClock(row.seconds)
        }}</span>
        <span v-if="has.has('bytes')" role="gridcell" class="number end">{{
          row.bytes === null ? '' : describeBytes(row.bytes)
        }}</span>
        <span v-if="has.has('jobs')" role="gridcell" class="number end">{{ row.jobCount || '' }}</span>
        <span
          v-if="has.has('faults')"
          role="gridcell"
          class="ellipsis"
          :title="row.faults.join(', ')"
          :class="{ muted: row.faults.length === 0 }"
          >{{
            row.faults.length > 0
              ? row.faults.join(', ')
              : {
                  none: '',
                  waiting: 'to be measured',
                  measuring: 'being measured',
                  ready: 'nothing wrong found',
                  failed: 'not measured',
                }[row.measureState]
          }}</span
        >
      </template>
    </template>
  </LongTable>
</template>

<style scoped>
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  min-width: 0;
}
.end {
  text-align: right;
}
.wide {
  grid-column: 3 / -1;
}
</style>
