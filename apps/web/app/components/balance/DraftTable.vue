<script setup lang="ts">
import {
  describeBytesRange,
  describeClock,
  describeCount,
  describeDurationRange,
  describeSpec,
  stepKinds,
  type JobSort,
  type LotWork,
  type PlannedJobRecord,
} from '@hematine/core'
import LongTable from '~/components/common/LongTable.vue'
import LotSums from '~/components/common/LotSums.vue'
import LotWords from '~/components/common/LotWords.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import type { LongColumn } from '~/composables/long-column'
import { momentRange } from '~/composables/times'
import type { JobLines } from '~/composables/useJobLines'
import { useOrder } from '~/stores/order'

/** Drafts with what each will take, by lot or one after the other. */
const { drafts } = defineProps<{ drafts: JobLines }>()
const open = defineModel<number | null>('open', { required: true })
const selected = defineModel<Set<number>>('selected', { required: true })
const order = useOrder()

const columns: LongColumn<JobSort>[] = [
  { key: 'name', name: 'Source', width: 'minmax(120px, 1.5fr)', sort: 'name' },
  { key: 'look', name: 'Look at', width: '50px', sort: null },
  { key: 'spec', name: 'Spec', width: 'minmax(80px, 1fr)', sort: 'spec' },
  { key: 'length', name: 'Length', width: '50px', sort: 'length', end: true },
  { key: 'seconds', name: 'Device time', width: '98px', sort: 'seconds', end: true },
  { key: 'bytes', name: 'Result', width: '138px', sort: 'bytes', end: true },
  { key: 'end', name: 'Done', width: '90px', sort: 'end', end: true },
]

/** What of a draft a person should look at before it is released, as sentences. */
function lookAt({ leftIn, mistakes }: PlannedJobRecord): string[] {
  return [...leftIn.map(({ says, step }) => `${says} ${stepKinds[step.kind].name} is not done.`), ...mistakes]
}
function specLine(key: string): string {
  const spec = order.specs.find(entry => entry.key === key)
  return spec ? describeSpec(spec) : ''
}
function lotLine({ totals }: LotWork): string {
  const { jobs, measured, byLike, unknown } = totals
  const parts = [
    measured === jobs ? 'all measured' : measured > 0 ? `${describeCount(measured)} measured` : '',
    byLike > 0 ? `${describeCount(byLike)} by their like` : '',
    unknown === jobs ? 'to be measured' : unknown > 0 ? `${describeCount(unknown)} to be measured` : '',
  ]
  return `${describeCount(jobs)} ${jobs === 1 ? 'draft' : 'drafts'}, ${parts.filter(Boolean).join(', ')}`
}
</script>

<template>
  <LongTable
    v-model:open="open"
    v-model:selected="selected"
    :list="drafts.lines"
    :columns="columns"
    label="Drafts"
    rows-name="drafts"
    :row-name="row => `${row.sourceName}, ${row.specName}`"
    :group-name="lot => lot?.name ?? 'all'"
    :ids-of="key => drafts.idsOf(key ?? 'all')"
    :sort="drafts.sort.value"
    :descending="drafts.descending.value"
    @sort="drafts.sortBy"
  >
    <template #group="{ group: lot, isOpen }">
      <template v-if="lot">
        <LotWords class="words" :name="lot.name" :is-open="isOpen" :words="lotLine(lot)" />
        <LotSums :totals="lot.totals" :at="drafts.at.value" />
      </template>
    </template>
    <template #row="{ row: job }">
      <span role="gridcell" class="name"
        ><StateMark
          :state="job.sampleState === 'failed' ? 'failed' : job.forecast ? 'draft' : 'measuring'" /><MiddleName
          :name="job.sourceName"
      /></span>
      <span role="gridcell"
        ><span v-if="lookAt(job).length > 0" class="look nowrap" :title="lookAt(job).join('\n')"
          ><span aria-hidden="true">◆</span> <span class="number">{{ lookAt(job).length }}</span><span
            class="visually-hidden"
          >
            to look at: {{ lookAt(job).join(' ') }}</span
          ></span
        ></span
      >
      <span role="gridcell" class="ellipsis" :title="specLine(job.specKey)"
        ><span v-if="job.isNameTaken" class="look taken" :title="`${job.plannedPath} is taken`"
          ><span aria-hidden="true">◆</span><span class="visually-hidden">its name is taken: </span></span
        >{{ job.specName }}</span
      >
      <span role="gridcell" class="number end">{{
        job.durationSeconds === null ? '' : describeClock(job.durationSeconds)
      }}</span>
      <span v-if="job.forecast" role="gridcell" class="number end ellipsis" :title="job.forecast.measuredFrom"
        ><span v-if="job.forecast.carried" class="muted" aria-hidden="true">≈ </span
        ><span v-if="job.forecast.carried" class="visually-hidden">by its like </span
        >{{ describeDurationRange(job.forecast.seconds) }}</span
      >
      <span v-else-if="job.sampleState === 'failed'" role="gridcell" class="bad end">cannot be measured</span>
      <span v-else role="gridcell" class="muted end">{{
        job.sampleState === 'measuring' ? 'being measured' : 'to be measured'
      }}</span>
      <span role="gridcell" class="number end ellipsis">{{
        job.forecast ? describeBytesRange(job.forecast.bytes) : ''
      }}</span>
      <span role="gridcell" class="number end">{{ job.end ? momentRange(job.end, drafts.at.value) : '' }}</span>
    </template>
  </LongTable>
</template>

<style scoped>
.words {
  grid-column: 2 / 6;
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
.taken {
  margin-right: 6px;
}
.nowrap {
  white-space: nowrap;
}
</style>
