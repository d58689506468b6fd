<script setup lang="ts">
import {
  describeBytesRange,
  describeCount,
  describeDurationRange,
  describeState,
  type JobSort,
  type LotWork,
  type PlannedJobRecord,
} from '@hematine/core'
import { mdiDragVertical } from '@mdi/js'
import { ref, useTemplateRef } from 'vue'
import JobActions from './JobActions.vue'
import LongTable from '~/components/common/LongTable.vue'
import LotSums from '~/components/common/LotSums.vue'
import LotWords from '~/components/common/LotWords.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import type { LongColumn } from '~/composables/long-column'
import { momentRange } from '~/composables/times'
import { call } from '~/composables/useCall'
import type { JobLines } from '~/composables/useJobLines'
import type { Line } from '~/composables/useLines'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** The waiting work in plan order: dragged, or moved with Alt and the arrow keys. */
const { waiting } = defineProps<{ waiting: JobLines }>()
const order = useOrder()
const notices = useNotices()
const open = ref<number | null>(null)
const said = ref('')
const table = useTemplateRef<{ go(index: number): void }>('table')

const columns: LongColumn<JobSort>[] = [
  { key: 'handle', name: '', width: '20px', sort: null },
  { key: 'name', name: 'Next', width: 'minmax(120px, 1.6fr)', sort: null },
  { key: 'spec', name: 'Spec', width: 'minmax(70px, 1fr)', sort: null },
  { key: 'seconds', name: 'Device time', width: '96px', sort: null, end: true },
  { key: 'bytes', name: 'Result', width: '138px', sort: null, end: true },
  { key: 'end', name: 'Done', width: '90px', sort: null, end: true },
  { key: 'actions', name: '', width: '128px', sort: null, end: true },
]

type WaitingLine = Line<number | 'none' | 'all', LotWork | null>

/** Number of the job at a place of a group; read when it is not on screen. Null behind the last. */
async function idAt(key: number | 'none' | 'all', index: number): Promise<number | null> {
  const known = waiting.lines.rowOf({ kind: 'row', key, index })
  if (known) return known.id
  const { jobs } = await call('listJobs', {
    query: {
      orderId: order.order!.id,
      states: 'waiting,held',
      ...(key === 'all' ? {} : { lotId: key }),
      offset: index,
      limit: 1,
    },
  })
  return jobs[0]?.id ?? null
}

async function place(job: PlannedJobRecord, beforeId: number | null, where: string): Promise<void> {
  if (beforeId === job.id) return
  await order.move([job.id], beforeId)
  said.value = `${job.sourceName} is now ${where}`
}

/** Moves the job of a line by a step, or to an end, within its group. */
async function onKey(event: KeyboardEvent, line: WaitingLine, at: number): Promise<void> {
  const job = waiting.lines.rowOf(line)
  if (!event.altKey || line.kind !== 'row' || !job) return
  const { key, index } = line
  const moves: Record<string, () => Promise<number | null> | null> = {
    ArrowUp: () => (index > 0 ? idAt(key, index - 1) : null),
    ArrowDown: () => idAt(key, index + 2),
    Home: () => idAt(key, 0),
    End: () => Promise.resolve(null),
  }
  const move = moves[event.key]
  if (!move) return
  event.preventDefault()
  await notices.attempt(async () => {
    const before = move()
    if (before === null) return
    const words = { ArrowUp: 'one earlier', ArrowDown: 'one later', Home: 'the first', End: 'the last' }
    await place(job, await before, words[event.key as keyof typeof words])
    await waiting.refresh()
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') table.value?.go(at + (event.key === 'ArrowUp' ? -1 : 1))
  })
}

const dragged = ref<PlannedJobRecord | null>(null)
const over = ref<number | null>(null)
const rowAttributes = (job: PlannedJobRecord) => ({
  draggable: 'true',
  'aria-label': `${job.sourceName}, ${job.specName}. Alt and the arrow keys move it.`,
  class: { before: over.value === job.id },
  onDragstart(event: DragEvent) {
    dragged.value = job
    if (event.dataTransfer) event.dataTransfer.effectAllowed = 'move'
  },
  onDragend() {
    dragged.value = null
    over.value = null
  },
  onDragover(event: DragEvent) {
    if (!dragged.value) return
    event.preventDefault()
    over.value = job.id
  },
  onDrop(event: DragEvent) {
    event.preventDefault()
    const moving = dragged.value
    dragged.value = null
    over.value = null
    if (moving) void place(moving, job.id, `before ${job.sourceName}`)
  },
})

const lotLine = ({ totals, counts }: LotWork) =>
  `${describeCount(totals.jobs)} ${totals.jobs === 1 ? 'job' : 'jobs'}${counts.held > 0 ? `, ${describeCount(counts.held)} held` : ''}`
</script>

<template>
  <p v-if="waiting.failed.value" class="trouble bad" role="alert">{{ waiting.failed.value }}</p>
  <LongTable
    ref="table"
    v-model:open="open"
    :list="waiting.lines"
    :columns="columns"
    label="Waiting jobs"
    rows-name="waiting jobs"
    :row-name="job => job.sourceName"
    :group-name="lot => lot?.name ?? 'all'"
    sort="plan"
    :descending="false"
    :row-attributes="rowAttributes"
    @key="onKey"
  >
    <template #group="{ group: lot, isOpen }">
      <template v-if="lot">
        <LotWords class="words" :name="lot.name" :is-open="isOpen" :words="lotLine(lot)" />
        <LotSums :totals="lot.totals" :at="waiting.at.value" />
        <span role="gridcell" />
      </template>
    </template>
    <template #row="{ row: job }">
      <span role="gridcell" class="handle"><VIcon :icon="mdiDragVertical" size="16" aria-hidden="true" /></span>
      <span role="gridcell" class="name"
        ><StateMark :state="job.state" :label="job.state === 'held' ? describeState(job.state) : ''" /><MiddleName
          :name="job.sourceName"
      /></span>
      <span
        v-if="job.state === 'waiting' && job.reason"
        role="gridcell"
        class="look ellipsis why"
        :title="job.reason"
        >{{ job.reason }}</span
      >
      <template v-else>
        <span role="gridcell" class="ellipsis">{{ job.specName }}</span>
        <span role="gridcell" class="number end ellipsis" :title="job.forecast?.measuredFrom"
          ><template v-if="job.forecast"
            ><span v-if="job.forecast.carried" class="muted" aria-hidden="true">≈ </span
            >{{ describeDurationRange(job.forecast.seconds) }}</template
          ><template v-else>not measured</template></span
        >
        <span role="gridcell" class="number end ellipsis">{{
          job.forecast ? describeBytesRange(job.forecast.bytes) : ''
        }}</span>
        <span role="gridcell" class="number end">{{ job.end ? momentRange(job.end, waiting.at.value) : '' }}</span>
      </template>
      <span role="gridcell" class="end"><JobActions :job="job" /></span>
    </template>
  </LongTable>
  <div class="visually-hidden" role="status">{{ said }}</div>
</template>

<style scoped>
.words {
  grid-column: 2 / 4;
}
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  min-width: 0;
}
.end {
  text-align: right;
}
.handle {
  cursor: grab;
  color: var(--muted);
}
.why {
  grid-column: 3 / 7;
  font-size: 12px;
}
.trouble {
  margin: 0;
  padding: 5px 12px;
}
</style>
