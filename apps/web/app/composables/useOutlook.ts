import { asItIs, isSupposing as isOtherwise, type WhatIf } from '@hematine/core'
import { useIntervalFn, useThrottleFn, watchDebounced } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { call, type CallAnswer } from './useCall'
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
  const supposed = ref({ ...asItIs })
  const isSupposing = computed(() => isOtherwise(supposed.value))
  const asIs = shallowRef<Outlook | null>(null)
  /** Null where nothing is supposed, or what comes of it is not known yet. */
  const ifSo = shallowRef<Outlook | null>(null)
  const failed = ref<string | null>(null)
  /** Whether what is supposed now is not answered yet. */
  const isAwaited = ref(false)
  let looks = 0

  async function look(): Promise<void> {
    const mine = ++looks
    const [drafts, supposing] = [withDrafts.value, isSupposing.value]
    try {
      const [now, then] = await Promise.all([
        askOutlook({ withDrafts: drafts }),
        supposing ? askOutlook({ ...supposed.value, withDrafts: drafts }) : null,
      ])
      if (mine !== looks) return
      asIs.value = now
      ifSo.value = then
      failed.value = null
    } catch (error) {
      if (mine === looks) failed.value = (error as Error).message
    } finally {
      if (mine === looks) isAwaited.value = false
    }
  }

  const lookSoon = useThrottleFn(look, lookMilliseconds, true)
  watch([() => order.jobChange, () => order.lanes, () => order.orders], () => void lookSoon(), { immediate: true })
  useIntervalFn(() => void lookSoon(), lookAgainMilliseconds)
  watch([withDrafts, supposed], () => {
    // An answer that is on its way is to another question.
    looks++
    isAwaited.value = true
  })
  watchDebounced([withDrafts, supposed], () => void look(), { deep: true, debounce: 250 })

  function takeBack(): void {
    supposed.value = { ...asItIs }
    ifSo.value = null
  }

  return { withDrafts, supposed, isSupposing, asIs, ifSo, failed, isAwaited, look, takeBack }
}
