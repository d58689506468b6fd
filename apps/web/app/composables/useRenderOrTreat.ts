import { RenderQuestion, RenderWay } from '@hematine/core'
import { useSessionStorage, useThrottleFn, watchDebounced } from '@vueuse/core'
import { computed, shallowRef, watch } from 'vue'
import type { z } from 'zod'
import { askingOrder } from './askingOrder'
import { call, type CallAnswer } from './useCall'
import { useNewest } from './useNewest'
import { useOrder } from '~/stores/order'

export type RenderTest = CallAnswer<'listRenderTests'>[number]
export type RenderAnswer = CallAnswer<'renderOrTreat'>
export type RenderComparison = CallAnswer<'readComparison'>

/** A question as far as it is asked: without tests it has no answer. */
const WayDraft = RenderWay.extend({ jobId: RenderWay.shape.jobId.nullable() })
const RenderDraft = RenderQuestion.extend({ full: WayDraft, reduced: WayDraft })
type RenderDraft = z.infer<typeof RenderDraft>

const usual: RenderDraft = {
  shots: 10,
  framesOfShot: 240,
  machines: 4,
  doubt: 0.2,
  full: { jobId: null, minutesPerFrame: 12 },
  reduced: { jobId: null, minutesPerFrame: 3 },
}

/** Jobs change all the time; what waits before the frames follows within so long. */
const lookMilliseconds = 3000

/** Two ways to the same frames: what is asked is kept while the browser's tab is open, what comes of it is the server's. */
export function useRenderOrTreat() {
  const order = useOrder()
  const stored = useSessionStorage<unknown>(() => `hematine-renders-${order.order?.id ?? 0}`, usual)
  const asked = computed({
    get: () => RenderDraft.safeParse(stored.value).data ?? usual,
    set: (value: RenderDraft) => (stored.value = value),
  })
  const tests = shallowRef<RenderTest[] | null>(null)
  const testOf = (jobId: number | null) => tests.value?.find(test => test.jobId === jobId) ?? null
  const chosen = computed(() => ({
    full: testOf(asked.value.full.jobId),
    reduced: testOf(asked.value.reduced.jobId),
  }))
  /** The whole question; null while a test is missing. */
  const question = computed((): RenderQuestion | null => {
    const { full, reduced } = chosen.value
    if (!full || !reduced) return null
    const { minutesPerFrame: fullMinutes } = asked.value.full
    const { minutesPerFrame: reducedMinutes } = asked.value.reduced
    return {
      ...asked.value,
      full: { jobId: full.jobId, minutesPerFrame: fullMinutes },
      reduced: { jobId: reduced.jobId, minutesPerFrame: reducedMinutes },
    }
  })
  const { answer, failed, isAwaited, look, changed } = useNewest(() => {
    const orderId = order.order?.id
    return orderId === undefined || !question.value
      ? null
      : call('renderOrTreat', { body: { orderId, ...question.value } })
  })

  const comparison = shallowRef<RenderComparison | null>(null)
  const pair = computed(() => {
    const { full, reduced } = chosen.value
    return full && reduced && full.jobId !== reduced.jobId ? { jobId: reduced.jobId, referenceId: full.jobId } : null
  })
  const [askingComparison, askingTests] = [askingOrder(), askingOrder()]
  async function readComparison(): Promise<void> {
    const query = pair.value
    const counts = askingComparison.ask()
    const found = query && (await call('readComparison', { query }).catch(() => null))
    if (counts()) comparison.value = found
  }

  async function readTests(): Promise<void> {
    const orderId = order.order?.id
    if (orderId === undefined) return
    const counts = askingTests.ask()
    const found = await call('listRenderTests', { query: { orderId } }).catch(() => null)
    if (found && counts()) tests.value = found
  }
  const lookSoon = useThrottleFn(
    async () => {
      await readTests()
      await look()
    },
    lookMilliseconds,
    true,
  )
  watch(
    [() => order.jobChange, () => order.lanes, () => order.hours, () => order.order?.dueAt],
    () => void lookSoon(),
    {
      immediate: true,
    },
  )
  watch(question, changed)
  watchDebounced(question, () => void look(), { debounce: 250 })
  watch([pair, () => order.comparisonChange], () => void readComparison(), { immediate: true })

  return { asked, tests, chosen, question, answer, failed, isAwaited, pair, comparison, readComparison }
}
