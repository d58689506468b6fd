import type { WaysAsked } from '@hematine/core'
import { useThrottleFn, watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { call, type CallAnswer } from './useCall'
import { useNewest } from './useNewest'
import { useOrder } from '~/stores/order'

export type WaysFound = CallAnswer<'chooseWays'>

/** Jobs change all the time; what is chosen follows within so long. */
const lookMilliseconds = 3000

/** The ways of the order's lots, and the best of them within limits that this page alone knows until they are kept. */
export function useWays() {
  const order = useOrder()
  const nothing = (): WaysAsked => ({
    specKeys: null,
    bytes: 'room',
    dueAt: order.order?.dueAt ?? null,
    weights: [],
    chosen: [],
  })
  const asked = ref(nothing())
  const {
    answer: found,
    failed,
    isAwaited,
    look,
    changed,
  } = useNewest(() => {
    const orderId = order.order?.id
    return orderId === undefined ? null : call('chooseWays', { body: { orderId, ...asked.value } })
  })

  const lookSoon = useThrottleFn(look, lookMilliseconds, true)
  watch([() => order.jobChange, () => order.lanes, () => order.hours], () => void lookSoon(), { immediate: true })
  watch(
    () => order.order?.id,
    () => {
      asked.value = nothing()
      found.value = null
    },
  )
  watch(
    () => order.order?.dueAt,
    dueAt => (asked.value = { ...asked.value, dueAt: dueAt ?? null }),
  )
  watch(asked, changed)
  watchDebounced(asked, () => void look(), { debounce: 200 })

  type Key = Pick<WaysFound['lots'][number], 'lotId'>
  const others = <Entry extends Key>(entries: readonly Entry[], { lotId }: Key) =>
    entries.filter(entry => entry.lotId !== lotId)
  /** A lot's way as a person wants it; null for whichever is best. */
  function choose(lot: Key, specKey: string | null): void {
    const chosen = others(asked.value.chosen, lot)
    asked.value = {
      ...asked.value,
      chosen: specKey === null ? chosen : [...chosen, { lotId: lot.lotId, specKey }],
    }
  }
  function weigh(lot: Key, weight: number): void {
    const weights = others(asked.value.weights, lot)
    asked.value = { ...asked.value, weights: weight === 1 ? weights : [...weights, { lotId: lot.lotId, weight }] }
  }
  const isChanged = computed(() => JSON.stringify(asked.value) !== JSON.stringify(nothing()))
  function takeBack(): void {
    asked.value = nothing()
  }

  return { asked, found, failed, isAwaited, isChanged, look, choose, weigh, takeBack }
}
