import { ref, shallowRef } from 'vue'
import { askingOrder } from './askingOrder'

/**
 * The newest answer to a question that is asked again and again.
 * @param ask what is wanted now; null where there is nothing to ask
 */
export function useNewest<Answer>(ask: () => Promise<Answer> | null) {
  const answer = shallowRef<Answer | null>(null)
  const failed = ref<string | null>(null)
  /** Whether the question as it is now is not answered yet. */
  const isAwaited = ref(false)
  const asking = askingOrder()

  async function look(): Promise<void> {
    const asked = ask()
    if (!asked) return
    const counts = asking.ask()
    try {
      const found = await asked
      if (!counts()) return
      answer.value = found
      failed.value = null
    } catch (error) {
      if (!counts()) return
      failed.value = (error as Error).message
    }
    isAwaited.value = false
  }

  /** The question is another now: an answer that is on its way is to the one before. */
  function changed(): void {
    asking.forget()
    isAwaited.value = true
  }

  return { answer, failed, isAwaited, look, changed }
}
