<script setup lang="ts">
import { describeBytes, describeDuration, type JobRecord } from '@hematine/core'
import { computed, ref } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { useOpenRow } from '~/composables/useOpenRow'

const { jobs } = defineProps<{ jobs: readonly JobRecord[] }>()
const open = defineModel<number | null>('open', { required: true })
const router = useRouter()

const verdicts = { pass: 'pass', look: 'look at it', fail: 'fail' } as const
const headers = [
  { title: 'Verdict', key: 'order' },
  { title: 'Result', key: 'title', width: '34%' },
  { title: 'Why', key: 'why', width: '27%' },
  { title: 'Source', key: 'sourceBytes', align: 'end' as const },
  { title: 'Result', key: 'size', align: 'end' as const },
  { title: 'Took', key: 'took', width: '96px', align: 'end' as const },
]
const sort = ref([{ key: 'order', order: 'asc' as const }])
/** Failures first, then what wants a look: reasons before successes. */
const rows = computed(() =>
  jobs.map(job => ({
    ...job,
    mark: job.state === 'failed' ? ('failed' as const) : (job.verdict ?? ('look' as const)),
    word: job.state === 'failed' ? 'failed' : verdicts[job.verdict ?? 'look'],
    order: job.state === 'failed' ? 0 : job.verdict === 'look' ? 1 : 2,
    title: job.outputPath ?? `${job.sourceName}, ${job.specName}`,
    why: job.reason ?? job.verdictReasons[0] ?? '',
    size: job.state === 'done' ? (job.outputBytes ?? -1) : -1,
    took: job.workSeconds ?? -1,
  })),
)
const inOrder = computed(() => [...rows.value].sort((a, b) => a.order - b.order))
function compare(id: number): void {
  if (jobs.find(job => job.id === id)?.state === 'done') void router.push(`/handover/${id}`)
}
const { onKey, rowProps: openRowProps } = useOpenRow(inOrder, open, compare)
const rowProps = (row: { item: { id: number } }) => ({ ...openRowProps(row), onDblclick: () => compare(row.item.id) })
</script>

<template>
  <VDataTableVirtual
    v-model:sort-by="sort"
    class="table"
    :headers="headers"
    :items="rows"
    item-value="id"
    :row-props="rowProps"
    height="100%"
    :item-height="30"
    aria-label="Results"
    @keydown="onKey"
  >
    <template #[`item.order`]="{ item }"><StateMark :state="item.mark" :label="item.word" /></template>
    <template #[`item.title`]="{ item }"
      ><span class="cut" :title="item.title">{{ item.title }}</span></template
    >
    <template #[`item.why`]="{ item }"
      ><span class="cut muted" :title="item.why">{{ item.why }}</span></template
    >
    <template #[`item.sourceBytes`]="{ item }"
      ><span class="number">{{ describeBytes(item.sourceBytes) }}</span></template
    >
    <template #[`item.size`]="{ item }"
      ><span class="number">{{ item.size < 0 ? '' : describeBytes(item.size) }}</span></template
    >
    <template #[`item.took`]="{ item }"
      ><span class="number">{{ item.took < 0 ? '' : describeDuration(item.took) }}</span></template
    >
  </VDataTableVirtual>
</template>

<style scoped>
.table {
  flex: 1;
  min-height: 0;
}
.table :deep(table) {
  table-layout: fixed;
}
.table :deep(th:first-child) {
  width: 104px;
}
.table :deep(th:nth-child(n + 4)) {
  width: 82px;
}
.cut {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
