import { ref, shallowRef } from 'vue'
import { call } from './useCall'
import { useNotices } from '~/stores/notices'

/** Has waiting jobs begun in another order, and puts them back. */
export function useOrderOfJobs() {
  const notices = useNotices()
  const busy = ref(false)
  /** What was done last here, so that it can be undone. */
  const taken = shallowRef<{ before: number[]; at: Date } | null>(null)

  async function put(ids: number[], because: 'due times' | 'put back' | 'as supposed'): Promise<boolean> {
    busy.value = true
    const done = await notices.attempt(() => call('orderJobs', { body: { ids, because } }))
    busy.value = false
    return done !== undefined
  }

  /** @param before jobs by number, as they would be begun now @returns whether it was done */
  async function take(before: number[], after: number[], because: 'due times' | 'as supposed'): Promise<boolean> {
    const isDone = await put(after, because)
    if (isDone) taken.value = { before, at: new Date() }
    return isDone
  }

  async function putBack(): Promise<void> {
    if (taken.value && (await put(taken.value.before, 'put back'))) taken.value = null
  }

  function forget(): void {
    taken.value = null
  }

  return { busy, taken, take, putBack, forget }
}
