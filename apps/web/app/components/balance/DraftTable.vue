<script setup lang="ts">
import {
  describeBytesRange,
  describeClock,
  describeDurationRange,
  describeSpec,
  stepKinds,
  type JobRecord,
} from '@hematine/core'
import { computed } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { momentRange } from '~/composables/times'
import type { Plan } from '~/composables/usePlan'
import { toggled, useOpenRow } from '~/composables/useOpenRow'
import { useOrder } from '~/stores/order'

const { jobs, plan, now } = defineProps<{ jobs: readonly JobRecord[]; plan: Plan; now: Date }>()
const open = defineModel<number | null>('open', { required: true })
const selected = defineModel<number[]>('selected', { required: true })
const order = useOrder()

const headers = [
  { title: 'Source', key: 'sourceName', width: '24%' },
  { title: 'Left in', key: 'left', width: '60px' },
  { title: 'Spec', key: 'specName' },
  { title: 'Length', key: 'durationSeconds', align: 'end' as const },
  { title: 'Device time', key: 'seconds', align: 'end' as const },
  { title: 'Result', key: 'bytes', align: 'end' as const },
  { title: 'Done', key: 'end', align: 'end' as const },
]
const rows = computed(() =>
  jobs.map(job => ({
    ...job,
    left: job.leftIn.length,
    seconds: job.forecast?.seconds.expected ?? -1,
    bytes: job.forecast?.bytes.expected ?? -1,
    end: plan.places.get(job.id)?.end.expected ?? -1,
  })),
)

function specLine(key: string): string {
  const spec = order.specs.find(entry => entry.key === key)
  return spec ? describeSpec(spec) : ''
}

const { onKey, rowProps } = useOpenRow(rows, open, id => {
  selected.value = toggled(selected.value, id)
})
</script>

<template>
  <VDataTableVirtual
    v-model="selected"
    class="table"
    :headers="headers"
    :items="rows"
    item-value="id"
    show-select
    :row-props="rowProps"
    height="100%"
    :item-height="30"
    aria-label="Drafts"
    @keydown="onKey"
  >
    <template #[`item.sourceName`]="{ item }">
      <span class="name"
        ><StateMark
          :state="item.sampleState === 'failed' ? 'failed' : item.sampleState === 'ready' ? 'draft' : 'measuring'"
        /><span class="ellipsis" :title="item.sourceName">{{ item.sourceName }}</span></span
      >
    </template>
    <template #[`item.left`]="{ item }">
      <span
        v-if="item.left > 0"
        class="look nowrap"
        :title="item.leftIn.map(entry => `${entry.says} ${stepKinds[entry.step.kind].name} is not done.`).join('\n')"
        ><span aria-hidden="true">◆</span> <span class="number">{{ item.left }}</span><span class="visually-hidden">
          found and left as it is</span
        ></span
      >
    </template>
    <template #[`item.specName`]="{ item }"
      ><span :title="specLine(item.specKey)" class="nowrap">{{ item.specName }}</span></template
    >
    <template #[`item.durationSeconds`]="{ item }"
      ><span class="number">{{
        item.durationSeconds === null ? '' : describeClock(item.durationSeconds)
      }}</span></template
    >
    <template #[`item.seconds`]="{ item }">
      <span v-if="item.forecast" class="number">{{ describeDurationRange(item.forecast.seconds) }}</span>
      <span v-else-if="item.sampleState === 'failed'" class="bad">cannot be measured</span>
      <span v-else class="muted">{{
        item.sampleState === 'measuring' ? 'being measured' : 'waits to be measured'
      }}</span>
    </template>
    <template #[`item.bytes`]="{ item }"
      ><span class="number">{{ item.forecast ? describeBytesRange(item.forecast.bytes) : '' }}</span></template
    >
    <template #[`item.end`]="{ item }"
      ><span class="number">{{
        plan.places.has(item.id) ? momentRange(plan.places.get(item.id)!.end, now) : ''
      }}</span></template
    >
  </VDataTableVirtual>
</template>

<style scoped>
.table {
  flex: 1;
  min-height: 0;
}
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  max-width: 250px;
}
.nowrap {
  white-space: nowrap;
}
</style>
