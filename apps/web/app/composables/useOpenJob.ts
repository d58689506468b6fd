import type { JobDetail, JobState } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import { askingOrder } from '~/composables/askingOrder'
import { call, CallProblem } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

/** Null for a job that is gone; nothing where it could not be asked for. */
const goneOrUnknown = (error: unknown) => (error instanceof CallProblem && error.status === 404 ? null : undefined)

/** The job that the page's address names, whole, as long as it is in one of some states. */
export function useOpenJob(states: readonly JobState[]) {
  const order = useOrder()
  const route = useRoute()
  const router = useRouter()
  const open = computed<number | null>({
    get: () => Number(route.query.job) || null,
    set: id => {
      void router.replace({ query: id === null ? {} : { job: id } })
    },
  })
  const read = ref<JobDetail | null>(null)
  const asking = askingOrder()
  watch(
    [open, () => order.jobChange],
    async ([id]) => {
      const counts = asking.ask()
      // A job that is gone simply is no longer open; one that could not be read now stays as it was.
      const detail = id === null ? null : await call('readJob', { parameters: { id } }).catch(goneOrUnknown)
      if (detail !== undefined && counts()) read.value = detail
    },
    { immediate: true },
  )
  const job = computed(() =>
    read.value?.id === open.value && read.value && states.includes(read.value.state) ? read.value : null,
  )
  return { open, job }
}
