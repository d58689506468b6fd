import type { SourceSort } from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed } from 'vue'

export type ColumnKey = 'picture' | 'rate' | 'codec' | 'sound' | 'seconds' | 'bytes' | 'jobs' | 'faults'

export interface Column {
  key: ColumnKey
  name: string
  /** Track of the grid. */
  width: string
  /** What a click on its head sorts by; null where it cannot. */
  sort: SourceSort | null
  end?: boolean
}

/** Columns of the table of sources that can be left out, in their order; the name is always there. */
export const columns: readonly Column[] = [
  { key: 'picture', name: 'Picture', width: '116px', sort: 'picture' },
  { key: 'rate', name: 'Rate', width: '66px', sort: 'rate' },
  { key: 'codec', name: 'Codec', width: '66px', sort: 'codec' },
  { key: 'sound', name: 'Sound', width: '84px', sort: null },
  { key: 'seconds', name: 'Length', width: '50px', sort: 'seconds', end: true },
  { key: 'bytes', name: 'Size', width: '62px', sort: 'bytes', end: true },
  { key: 'jobs', name: 'Jobs', width: '38px', sort: null, end: true },
  { key: 'faults', name: 'Findings', width: 'minmax(90px, 1fr)', sort: 'faults' },
]
const usual: ColumnKey[] = ['picture', 'rate', 'codec', 'seconds', 'bytes', 'faults']

/** Which columns this browser shows. */
export function useColumns() {
  const chosen = useLocalStorage<ColumnKey[]>('hematine-columns', usual)
  const shown = computed(() => columns.filter(column => chosen.value.includes(column.key)))
  const has = computed(() => new Set(shown.value.map(column => column.key)))
  const template = computed(() =>
    ['24px', 'minmax(150px, 1.6fr)', ...shown.value.map(column => column.width)].join(' '),
  )
  /** Line of the grid at which the head of a lot stops its words: what follows are its sums. */
  const wordsEnd = computed(
    () => 3 + shown.value.filter(column => ['picture', 'rate', 'codec', 'sound'].includes(column.key)).length,
  )
  return { chosen, shown, has, template, wordsEnd }
}
