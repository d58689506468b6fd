import type { LotRecord, MeasureWish, SourceCondition, SourceFilter, SourceRow, SourceSort } from '@hematine/core'
import { useDebounceFn, useLocalStorage, useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, markRaw, ref, watch } from 'vue'
import { oneAtATime } from '~/composables/oneAtATime'
import { call } from '~/composables/useCall'
import { useLines } from '~/composables/useLines'
import { useNotices } from './notices'
import { useOrder } from './order'

/** The sources of the open order as lots with their lines; only what is looked at is fetched. */
export const useIntake = defineStore('intake', () => {
  const order = useOrder()
  const notices = useNotices()
  const filter = useLocalStorage<SourceFilter>('hematine-filter', [])
  const search = ref('')
  const saved = useLocalStorage<{ name: string; filter: SourceFilter }[]>('hematine-filters', [])
  const sort = useLocalStorage<SourceSort>('hematine-sort', 'came')
  const descending = useLocalStorage('hematine-sort-down', false)
  const lots = ref<LotRecord[]>([])
  const ungrouped = ref(0)
  const loaded = ref(false)
  const failed = ref<string | null>(null)

  const conditions = computed<SourceCondition[]>(() =>
    search.value.trim() === ''
      ? filter.value
      : [...filter.value, { field: 'name', how: 'contains', value: search.value.trim() }],
  )
  const query = computed(() => ({ orderId: order.order?.id ?? 0, filter: JSON.stringify(conditions.value) }))
  const groups = computed(() => [
    ...lots.value.map(lot => ({ key: lot.id as number | null, group: lot as LotRecord | null, count: lot.count })),
    // Null stands for what is in no lot.
    ...(ungrouped.value > 0 ? [{ key: null, group: null, count: ungrouped.value }] : []),
  ])
  const list = useLines<SourceRow, number | null, LotRecord | null>(
    groups,
    async (lotId, offset, limit) => {
      const { rows } = await call('listSources', {
        query: {
          ...query.value,
          lotId: lotId ?? 'none',
          sort: sort.value,
          descending: String(descending.value),
          offset,
          limit,
        },
      })
      return rows
    },
    error => {
      failed.value = error.message
    },
  )

  /** Reads the lots and what is on screen anew; lines stay as they are until the answer is there. */
  async function refresh(): Promise<void> {
    if (!order.order) return
    const mark = list.begin()
    try {
      const [fresh, none] = await Promise.all([
        call('listLots', { query: query.value }),
        call('listSources', { query: { ...query.value, lotId: 'none', limit: 1 } }),
      ])
      if (!list.isLatest(mark)) return
      lots.value = fresh
      ungrouped.value = none.total
      failed.value = null
      loaded.value = true
      await list.renew()
    } catch (error) {
      if (list.isLatest(mark)) failed.value = (error as Error).message
    }
  }
  const refreshSoon = useThrottleFn(oneAtATime(refresh), 1000, true)

  watch(
    () => order.sourceChange.count,
    () => void refreshSoon(),
  )
  watch([query, sort, descending], () => void refresh(), { immediate: true })
  const searchSoon = useDebounceFn((words: string) => {
    search.value = words
  }, 200)

  async function act(work: () => Promise<unknown>, done?: string): Promise<void> {
    await notices.attempt(async () => {
      await work()
      if (done) notices.done(done)
    })
    await refresh()
  }

  return {
    filter,
    search,
    saved,
    sort,
    descending,
    lots,
    ungrouped,
    total: list.total,
    /** The sources as lines of a long table. Raw, so that its references stay what they are. */
    list: markRaw(list),
    loaded,
    failed,
    query,
    refresh,
    searchSoon,
    move: (sourceIds: number[], lotId: number | null) => act(() => call('moveToLot', { body: { sourceIds, lotId } })),
    merge: (ids: number[]) => act(() => call('mergeLots', { body: { ids } })),
    rename: (lotId: number, name: string | null) =>
      act(() => call('renameLot', { parameters: { id: lotId }, body: { name } })),
    groupAgain: (sourceIds: number[]) => act(() => call('groupAgain', { body: { sourceIds } })),
    stopMeasuring: (ids: number[]) => act(() => call('stopMeasuring', { body: { ids } })),
    measure: (ids: number[], depth: MeasureWish) => act(() => call('measureSources', { body: { ids, depth } })),
    idsOf: (lotId: number | null | undefined) =>
      call('listSourceIds', { query: { ...query.value, ...(lotId === undefined ? {} : { lotId: lotId ?? 'none' }) } }),
  }
})
