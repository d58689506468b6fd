import { ref, shallowRef } from 'vue'

/**
 * The newest answer to a question that is asked again and again: one that comes after a newer question is dropped.
 * @param ask what is wanted now; null where there is nothing to ask
 */
export function useNewest<Answer>(ask: () => Promise<Answer> | null) {
  const answer = shallowRef<Answer | null>(null)
  const failed = ref<string | null>(null)
  /** Whether the question as it is now is not answered yet. */
  const isAwaited = ref(false)
  let looks = 0

  async function look(): Promise<void> {
    const asked = ask()
    if (!asked) return
    const mine = ++looks
    try {
      const found = await asked
      if (mine !== looks) return
      answer.value = found
      failed.value = null
    } catch (error) {
      if (mine === looks) failed.value = (error as Error).message
    } finally {
      if (mine === looks) isAwaited.value = false
    }
  }

  /** The question is another now: an answer that is on its way is to the one before. */
  function changed(): void {
    looks++
    isAwaited.value = true
  }

  return { answer, failed, isAwaited, look, changed }
}
