import type { JobDetail, JobState } from '@hematine/core'
import { computed, ref, watch } from 'vue'
import { call } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

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
  watch(
    [open, () => order.jobChange],
    async ([id]) => {
      // A job that is gone simply is no longer open.
      const detail = id === null ? null : await call('readJob', { parameters: { id } }).catch(() => null)
      if (id === open.value) read.value = detail
    },
    { immediate: true },
  )
  const job = computed(() =>
    read.value?.id === open.value && read.value && states.includes(read.value.state) ? read.value : null,
  )
  return { open, job }
}
