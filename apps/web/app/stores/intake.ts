import type { LotRecord, SourceCondition, SourceFilter, SourceRow, SourceSort } from '@hematine/core'
import { useDebounceFn, useLocalStorage, useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, triggerRef, watch } from 'vue'
import { call } from '~/composables/useCall'
import { useNotices } from './notices'
import { useOrder } from './order'

/** A line of the long table: the head of a lot, or the source at a place of it. `lotId` null stands for what is in no lot. */
export type Line =
  | { kind: 'lot'; lotId: number | null; lot: LotRecord | null; count: number }
  | { kind: 'source'; lotId: number | null; index: number }

const pageSize = 100
/** Orders of up to so many sources are shown with all lots open. */
const openAllUpTo = 400

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
  /** Lots whose state differs from the usual one. */
  const turned = ref(new Set<number | null>())
  const rows = shallowRef(new Map<string, SourceRow>())
  const asked = new Set<string>()
  let version = 0

  const conditions = computed<SourceCondition[]>(() =>
    search.value.trim() === ''
      ? filter.value
      : [...filter.value, { field: 'name', how: 'contains', value: search.value.trim() }],
  )
  const query = computed(() => ({ orderId: order.order?.id ?? 0, filter: JSON.stringify(conditions.value) }))
  const total = computed(() => lots.value.reduce((sum, lot) => sum + lot.count, ungrouped.value))
  const usuallyOpen = computed(() => total.value <= openAllUpTo)
  const isOpen = (lotId: number | null) => usuallyOpen.value !== turned.value.has(lotId)

  const lines = computed<Line[]>(() => {
    const all: Line[] = []
    const add = (lotId: number | null, lot: LotRecord | null, count: number) => {
      all.push({ kind: 'lot', lotId, lot, count })
      if (isOpen(lotId)) for (let index = 0; index < count; index++) all.push({ kind: 'source', lotId, index })
    }
    for (const lot of lots.value) add(lot.id, lot, lot.count)
    if (ungrouped.value > 0) add(null, null, ungrouped.value)
    return all
  })

  const keyOf = (lotId: number | null, index: number) => `${lotId}:${index}`
  const rowOf = (line: Line) =>
    line.kind === 'source' ? (rows.value.get(keyOf(line.lotId, line.index)) ?? null) : null

  function turn(lotId: number | null, open = !isOpen(lotId)): void {
    if (open === isOpen(lotId)) return
    const next = new Set(turned.value)
    if (!next.delete(lotId)) next.add(lotId)
    turned.value = next
  }

  async function fetchPage(lotId: number | null, page: number): Promise<void> {
    const key = `${lotId}:${page}`
    if (asked.has(key)) return
    asked.add(key)
    const mine = version
    try {
      const answer = await call('listSources', {
        query: {
          ...query.value,
          lotId: lotId ?? 'none',
          sort: sort.value,
          descending: String(descending.value),
          offset: page * pageSize,
          limit: pageSize,
        },
      })
      // The lists were asked for anew meanwhile; with their answer comes another request for this page.
      if (mine !== version) return
      // Changed in place and announced once: a copy of ten thousand rows for each page would be felt.
      answer.rows.forEach((row, index) => rows.value.set(keyOf(lotId, page * pageSize + index), row))
      triggerRef(rows)
    } catch (error) {
      asked.delete(key)
      if (mine === version) failed.value = (error as Error).message
    }
  }

  let lastSeen: readonly Line[] = []
  /** Fetches what some lines need that is not there yet. */
  function need(seen: readonly Line[]): void {
    lastSeen = seen
    const pages = new Map<string, [number | null, number]>()
    for (const line of seen)
      if (line.kind === 'source')
        pages.set(`${line.lotId}:${Math.floor(line.index / pageSize)}`, [line.lotId, Math.floor(line.index / pageSize)])
    for (const [lotId, page] of pages.values()) void fetchPage(lotId, page)
  }

  /** Reads the lots and what is on screen anew; lines stay as they are until the answer is there. */
  async function refresh(): Promise<void> {
    if (!order.order) return
    const mine = ++version
    try {
      const [fresh, none] = await Promise.all([
        call('listLots', { query: query.value }),
        call('listSources', { query: { ...query.value, lotId: 'none', limit: 1 } }),
      ])
      if (mine !== version) return
      lots.value = fresh
      ungrouped.value = none.total
      asked.clear()
      failed.value = null
      loaded.value = true
      const stale = rows.value
      need(lastSeen)
      // Rows beyond what is on screen may be of yesterday; they are fetched again when they come into view.
      const seen = new Set(lastSeen.flatMap(line => (line.kind === 'source' ? [keyOf(line.lotId, line.index)] : [])))
      rows.value = new Map([...stale].filter(([key]) => seen.has(key)))
    } catch (error) {
      if (mine === version) failed.value = (error as Error).message
    }
  }
  const refreshSoon = useThrottleFn(() => refresh(), 1000, true)

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
    total,
    loaded,
    failed,
    lines,
    query,
    isOpen,
    turn,
    rowOf,
    need,
    refresh,
    searchSoon,
    move: (sourceIds: number[], lotId: number | null) => act(() => call('moveToLot', { body: { sourceIds, lotId } })),
    merge: (ids: number[]) => act(() => call('mergeLots', { body: { ids } })),
    rename: (lotId: number, name: string | null) =>
      act(() => call('renameLot', { parameters: { id: lotId }, body: { name } })),
    groupAgain: (sourceIds: number[]) => act(() => call('groupAgain', { body: { sourceIds } })),
    stopMeasuring: (ids: number[]) => act(() => call('stopMeasuring', { body: { ids } })),
    measure: (ids: number[], depth: 'sampled' | 'deep') => act(() => call('measureSources', { body: { ids, depth } })),
    idsOf: (lotId: number | null | undefined) =>
      call('listSourceIds', { query: { ...query.value, ...(lotId === undefined ? {} : { lotId: lotId ?? 'none' }) } }),
  }
})
