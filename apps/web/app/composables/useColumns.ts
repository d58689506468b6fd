import type { SourceSort } from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed } from 'vue'
import type { LongColumn } from './long-column'

export type ColumnKey = 'picture' | 'rate' | 'codec' | 'sound' | 'seconds' | 'bytes' | 'jobs' | 'faults'

export type Column = LongColumn<SourceSort> & { key: ColumnKey }

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
  /** Line of the grid at which the head of a lot stops its words: what follows are its sums. */
  const wordsEnd = computed(
    () => 3 + shown.value.filter(column => ['picture', 'rate', 'codec', 'sound'].includes(column.key)).length,
  )
  return { chosen, shown, has, wordsEnd }
}
