<script setup lang="ts">
import {
  describeBytes,
  describeCount,
  describeDuration,
  type JobSort,
  type LotWork,
  type PlannedJobRecord,
} from '@hematine/core'
import LongTable from '~/components/common/LongTable.vue'
import LotWords from '~/components/common/LotWords.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import type { LongColumn } from '~/composables/long-column'
import type { JobLines } from '~/composables/useJobLines'

/** Results with their verdicts, failures first, then what wants a look: reasons before successes. */
const { results } = defineProps<{ results: JobLines }>()
const open = defineModel<number | null>('open', { required: true })
const router = useRouter()

const verdicts = { pass: 'pass', look: 'look at it', fail: 'fail' } as const
const columns: LongColumn<JobSort>[] = [
  { key: 'verdict', name: 'Verdict', width: '88px', sort: 'verdict' },
  { key: 'name', name: 'Result', width: 'minmax(140px, 1.5fr)', sort: 'name' },
  { key: 'why', name: 'Why', width: 'minmax(110px, 1.2fr)', sort: null },
  { key: 'source', name: 'Source', width: '66px', sort: 'source-bytes', end: true },
  { key: 'size', name: 'Result', width: '66px', sort: 'bytes', end: true },
  { key: 'took', name: 'Took', width: '84px', sort: 'took', end: true },
]
const markOf = (job: PlannedJobRecord) =>
  job.state === 'failed' ? ('failed' as const) : (job.verdict ?? ('look' as const))
const wordOf = (job: PlannedJobRecord) => (job.state === 'failed' ? 'failed' : verdicts[job.verdict ?? 'look'])
const titleOf = (job: PlannedJobRecord) => job.outputPath ?? `${job.sourceName}, ${job.specName}`
const whyOf = (job: PlannedJobRecord) => job.reason ?? job.verdictReasons[0] ?? ''

function compare(job: PlannedJobRecord): void {
  if (job.state === 'done') void router.push(`/handover/${job.id}`)
}
function onKey(event: KeyboardEvent): void {
  if (event.key !== ' ' || open.value === null) return
  event.preventDefault()
  void router.push(`/handover/${open.value}`)
}
function lotLine({ pass, look, counts }: LotWork): string {
  const parts = [
    pass > 0 ? `${describeCount(pass)} pass` : '',
    look > 0 ? `${describeCount(look)} to look at` : '',
    counts.failed > 0 ? `${describeCount(counts.failed)} failed` : '',
  ]
  return parts.filter(Boolean).join(', ')
}
</script>

<template>
  <LongTable
    v-model:open="open"
    :list="results.lines"
    :columns="columns"
    label="Results"
    rows-name="results"
    :row-name="titleOf"
    :group-name="lot => lot?.name ?? 'all'"
    :sort="results.sort.value"
    :descending="results.descending.value"
    @sort="results.sortBy"
    @enter="compare"
    @key="onKey"
  >
    <template #group="{ group: lot, isOpen }">
      <template v-if="lot">
        <LotWords class="words" :name="lot.name" :is-open="isOpen" :words="lotLine(lot)" />
        <span role="gridcell" class="number end">{{ describeBytes(lot.sourceBytes) }}</span>
        <span role="gridcell" class="number end">{{ lot.outputBytes > 0 ? describeBytes(lot.outputBytes) : '' }}</span>
        <span role="gridcell" class="number end">{{
          lot.workSeconds > 0 ? describeDuration(lot.workSeconds) : ''
        }}</span>
      </template>
    </template>
    <template #row="{ row: job }">
      <span role="gridcell"><StateMark :state="markOf(job)" :label="wordOf(job)" /></span>
      <span role="gridcell" class="name"><MiddleName :name="titleOf(job)" /></span>
      <span role="gridcell" class="muted ellipsis" :title="whyOf(job)">{{ whyOf(job) }}</span>
      <span role="gridcell" class="number end">{{ describeBytes(job.sourceBytes) }}</span>
      <span role="gridcell" class="number end">{{
        job.state === 'done' && job.outputBytes !== null ? describeBytes(job.outputBytes) : ''
      }}</span>
      <span role="gridcell" class="number end">{{
        job.workSeconds === null ? '' : describeDuration(job.workSeconds)
      }}</span>
    </template>
  </LongTable>
</template>

<style scoped>
.words {
  grid-column: 1 / 4;
}
.name {
  display: flex;
  min-width: 0;
}
.end {
  text-align: right;
}
</style>
