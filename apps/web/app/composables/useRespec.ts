import { describeCount, type JobDetail, type JobRecord } from '@hematine/core'
import { ref, type Ref } from 'vue'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Gives a draft, or others with it, another spec; says what came of it, and opens the draft that took its place. */
export function useRespec(job: Pick<JobDetail, 'sourceId'>): {
  busy: Ref<boolean>
  respec: (work: () => Promise<{ jobs: JobRecord[]; refused: string[] }>) => Promise<void>
} {
  const order = useOrder()
  const notices = useNotices()
  const router = useRouter()
  const busy = ref(false)

  async function respec(work: () => Promise<{ jobs: JobRecord[]; refused: string[] }>): Promise<void> {
    busy.value = true
    const answer = await notices.attempt(work)
    busy.value = false
    for (const reason of answer?.refused ?? []) notices.problem(reason)
    const own = answer?.jobs.find(entry => entry.sourceId === job.sourceId)
    if (own) {
      notices.done(
        `${answer!.jobs.length === 1 ? 'The draft has' : `${describeCount(answer!.jobs.length)} drafts have`} the spec ${own.specName} now.`,
      )
      await router.replace({ query: { job: own.id } })
    }
    order.noteJobs()
  }
  return { busy, respec }
}
