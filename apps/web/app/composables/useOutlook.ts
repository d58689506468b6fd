import { asItIs, isSupposing as isOtherwise, type WhatIf } from '@hematine/core'
import { useIntervalFn, useThrottleFn, watchDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { call, type CallAnswer } from './useCall'
import { useNewest } from './useNewest'
import { useOrder } from '~/stores/order'

export type Outlook = CallAnswer<'lookAhead'>

/** Each look takes the server up to a second of work; jobs change all the time. */
const lookMilliseconds = 5000
/** Running jobs go on, and an answer of the server may be some seconds old. */
const lookAgainMilliseconds = 10_000

/** A chance that was counted in rehearsals, which tell no more than hundredths. */
export function percentWords(part: number): string {
  return part > 0.99 ? 'over 99 %' : part < 0.01 ? 'under 1 %' : `${Math.round(part * 100)} %`
}

/** What comes of all orders' jobs, as is supposed. */
export const askOutlook = (supposed: Partial<WhatIf>) =>
  call('lookAhead', { query: { supposed: JSON.stringify(supposed) } })

/** What comes of all orders' jobs as they are, and as a person supposes; what is supposed is known to this page alone. */
export function useOutlook() {
  const order = useOrder()
  const withDrafts = ref(false)
  const withAnnounced = ref(false)
  const supposed = ref({ ...asItIs })
  const isSupposing = computed(() => isOtherwise(supposed.value))
  const { answer, failed, isAwaited, look, changed } = useNewest(() => {
    const counted = { withDrafts: withDrafts.value, withAnnounced: withAnnounced.value }
    return Promise.all([askOutlook(counted), isSupposing.value ? askOutlook({ ...supposed.value, ...counted }) : null])
  })
  const asIs = computed(() => answer.value?.[0] ?? null)
  /** Null where nothing is supposed, or what comes of it is not known yet. */
  const ifSo = computed(() => (isSupposing.value ? (answer.value?.[1] ?? null) : null))

  const lookSoon = useThrottleFn(look, lookMilliseconds, true)
  watch([() => order.jobChange, () => order.lanes, () => order.hours, () => order.orders], () => void lookSoon(), {
    immediate: true,
  })
  useIntervalFn(() => void lookSoon(), lookAgainMilliseconds)
  watch([withDrafts, withAnnounced, supposed], changed)
  watchDebounced([withDrafts, withAnnounced, supposed], () => void look(), { deep: true, debounce: 250 })

  function takeBack(): void {
    supposed.value = { ...asItIs }
  }

  return { withDrafts, withAnnounced, supposed, isSupposing, asIs, ifSo, failed, isAwaited, look, takeBack }
}
