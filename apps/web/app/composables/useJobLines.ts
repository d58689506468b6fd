import type { JobSort, JobState, LotWork, PlannedJobRecord } from '@hematine/core'
import { useLocalStorage, useThrottleFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { oneAtATime } from '~/composables/oneAtATime'
import { useLines } from '~/composables/useLines'
import { call } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

/** From so many jobs on, a list is shown by lot unless a person wants it otherwise. */
const byLotFrom = 60

/** Jobs of the open order in some states as a long list, by lot or one after the other; only what is looked at is fetched. */
export function useJobLines(name: string, states: readonly JobState[], usualSort: JobSort) {
  const order = useOrder()
  const chosenByLot = useLocalStorage<boolean | null>(`hematine-${name}-by-lot`, null)
  const sort = useLocalStorage<JobSort>(`hematine-${name}-sort`, usualSort)
  const descending = useLocalStorage(`hematine-${name}-sort-down`, false)
  const lots = shallowRef<readonly LotWork[]>([])
  const at = ref(new Date())
  const loaded = ref(false)
  const failed = ref<string | null>(null)

  const total = computed(() => lots.value.reduce((sum, lot) => sum + lot.totals.jobs, 0))
  const byLot = computed({
    get: () => chosenByLot.value ?? total.value >= byLotFrom,
    set: value => {
      chosenByLot.value = value
    },
  })
  const query = computed(() => ({ orderId: order.order?.id ?? 0, states: states.join(','), sort: sort.value }))
  const lotChoice = (key: number | 'none' | 'all') => (key === 'all' ? {} : { lotId: key })
  const groups = computed(() =>
    byLot.value
      ? lots.value.map(lot => ({ key: lot.lotId ?? ('none' as const), group: lot, count: lot.totals.jobs }))
      : [{ key: 'all' as const, group: null, count: total.value }],
  )
  const lines = useLines<PlannedJobRecord, number | 'none' | 'all', LotWork | null>(
    groups,
    async (key, offset, limit) => {
      const answer = await call('listJobs', {
        query: { ...query.value, ...lotChoice(key), descending: String(descending.value), offset, limit },
      })
      at.value = new Date(answer.at)
      return answer.jobs
    },
    error => {
      failed.value = error.message
    },
    byLot,
  )

  async function refresh(): Promise<void> {
    if (!order.order) return
    const mark = lines.begin()
    try {
      const answer = await call('listJobLots', { query: query.value })
      if (!lines.isLatest(mark)) return
      lots.value = answer.lots
      at.value = new Date(answer.at)
      failed.value = null
      loaded.value = true
      await lines.renew()
    } catch (error) {
      if (lines.isLatest(mark)) failed.value = (error as Error).message
    }
  }
  const refreshSoon = useThrottleFn(oneAtATime(refresh), 700, true)
  watch(
    () => order.jobChange,
    () => void refreshSoon(),
  )
  watch([query, descending], () => void refresh(), { immediate: true })

  function sortBy(key: JobSort): void {
    if (sort.value !== key) {
      sort.value = key
      descending.value = false
    } else if (!descending.value) {
      descending.value = true
    } else {
      sort.value = usualSort
      descending.value = false
    }
  }

  return {
    lines,
    lots,
    total,
    /** When the plan was made that the ends in the rows count from. */
    at,
    loaded,
    failed,
    byLot,
    sort,
    descending,
    sortBy,
    refresh,
    /** Numbers of all jobs of the list, or of one lot's. */
    idsOf: (key: number | 'none' | 'all') => order.jobIds({ states: [...states], ...lotChoice(key) }),
  }
}
export type JobLines = ReturnType<typeof useJobLines>
