<script setup lang="ts">
import { describeBytes, describeDuration, type JobRecord } from '@hematine/core'
import { computed, ref, toRef } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { useRowKeys } from '~/composables/useRowKeys'

const { jobs } = defineProps<{ jobs: readonly JobRecord[] }>()
const open = defineModel<number | null>('open', { required: true })
const router = useRouter()

const verdicts = { pass: 'pass', look: 'look at it', fail: 'fail' } as const
const headers = [
  { title: 'Verdict', key: 'order' }, { title: 'Result', key: 'title', width: '36%' }, { title: 'Why', key: 'why', width: '30%' }, { title: 'Source', key: 'sourceBytes', align: 'end' as const },
  { title: 'Result', key: 'size', align: 'end' as const }, { title: 'Took', key: 'took', align: 'end' as const },
]
const sort = ref([{ key: 'order', order: 'asc' as const }])
/** Failures first, then what wants a look: reasons before successes. */
const rows = computed(() => jobs.map(job => ({
  ...job,
  mark: job.state === 'failed' ? 'failed' as const : job.verdict ?? 'look' as const,
  word: job.state === 'failed' ? 'failed' : verdicts[job.verdict ?? 'look'],
  order: job.state === 'failed' ? 0 : job.verdict === 'look' ? 1 : 2,
  title: job.outputPath ?? `${job.sourceName}, ${job.specName}`,
  why: job.reason ?? job.verdictReasons[0] ?? '',
  size: job.state === 'done' ? job.outputBytes ?? -1 : -1,
  took: job.workSeconds ?? -1,
})))
const onKey = useRowKeys(toRef(() => [...rows.value].sort((a, b) => a.order - b.order)), open, id => void router.push(`/handover/${id}`))

function rowProps({ item }: { item: { id: number, state: string } }) {
  return {
    'data-row': item.id, 'class': { open: item.id === open.value }, 'tabindex': item.id === (open.value ?? rows.value[0]?.id) ? 0 : -1, 'aria-current': item.id === open.value ? 'true' : undefined,
    'onClick': () => { open.value = item.id }, 'onDblclick': () => { if (item.state === 'done') void router.push(`/handover/${item.id}`) },
  }
}
</script>

<template>
  <VDataTableVirtual v-model:sort-by="sort" class="table" :headers="headers" :items="rows" item-value="id" :row-props="rowProps" height="100%" :item-height="30" aria-label="Results" @keydown="onKey">
    <template #[`item.order`]="{ item }"><StateMark :state="item.mark" :label="item.word" /></template>
    <template #[`item.title`]="{ item }"><span class="cut" :title="item.title">{{ item.title }}</span></template>
    <template #[`item.why`]="{ item }"><span class="cut muted" :title="item.why">{{ item.why }}</span></template>
    <template #[`item.sourceBytes`]="{ item }"><span class="number">{{ describeBytes(item.sourceBytes) }}</span></template>
    <template #[`item.size`]="{ item }"><span class="number">{{ item.size < 0 ? '' : describeBytes(item.size) }}</span></template>
    <template #[`item.took`]="{ item }"><span class="number">{{ item.took < 0 ? '' : describeDuration(item.took) }}</span></template>
  </VDataTableVirtual>
</template>

<style scoped>
.table { flex: 1; min-height: 0; }
.table :deep(table) { table-layout: fixed; }
.table :deep(th:first-child) { width: 104px; }
.table :deep(th:nth-child(n+4)) { width: 82px; }
.cut { display: block; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
</style>
