import { planLanes, sumRanges, workLeft, type JobRecord, type PlannedJob, type Range } from '@hematine/core'
import { useNow } from '@vueuse/core'
import { storeToRefs } from 'pinia'
import { computed, type ComputedRef } from 'vue'
import { useOrder } from '~/stores/order'

export interface Plan {
  /** Place of each job whose time is known. */
  places: Map<number, PlannedJob>
  /** Jobs in the plan's order. */
  jobs: JobRecord[]
  /** Jobs left out because their time is not known yet. */
  unknown: number
  /** When all is done, in seconds from now; null when nothing is planned. */
  end: Range | null
  /** Device time of all, in seconds. */
  deviceSeconds: Range
  /** Bytes the results will take. */
  bytes: Range
}

/** The plan as things stand: what runs, what waits, then (if wished) what is only drafted. Held jobs are not in it. */
export function usePlan(withDrafts: boolean): ComputedRef<Plan> {
  const { active, waiting, drafts, lanes, otherWork } = storeToRefs(useOrder())
  return computed(() => {
    const jobs = [
      ...active.value,
      ...waiting.value.filter(job => job.state === 'waiting'),
      ...(withDrafts ? drafts.value : []),
    ]
    const known = jobs.flatMap(job => {
      const seconds = workLeft(job)
      return seconds ? [{ id: job.id, seconds }] : []
    })
    // The lanes are every order's: what others wait for takes its turn by its place, and what they run goes on.
    const positions = new Map(
      jobs.map(job => [job.id, job.state === 'waiting' || job.state === 'draft' ? job.position : -1]),
    )
    const draftIds = new Set(drafts.value.map(job => job.id))
    const all = [
      ...known.map(({ id, seconds }) => ({ id, seconds, isDraft: draftIds.has(id), at: positions.get(id)! })),
      ...otherWork.value.flatMap(({ id, seconds, isActive, position }) =>
        seconds ? [{ id, seconds, isDraft: false, at: isActive ? -1 : position }] : [],
      ),
    ].sort((a, b) => Number(a.isDraft) - Number(b.isDraft) || a.at - b.at)
    const own = new Set(known.map(job => job.id))
    const planned = planLanes(all, lanes.value).filter(place => own.has(place.id))
    const last = planned.reduce<PlannedJob | null>(
      (latest, place) => (latest === null || place.end.expected > latest.end.expected ? place : latest),
      null,
    )
    return {
      places: new Map(planned.map(place => [place.id, place])),
      jobs,
      unknown: jobs.length - known.length,
      end: last?.end ?? null,
      deviceSeconds: sumRanges(known.map(job => job.seconds)),
      bytes: sumRanges(jobs.flatMap(job => (job.forecast ? [job.forecast.bytes] : []))),
    }
  })
}

/** The time now, as often as a view of minutes and seconds needs it. */
export function useClock() {
  return useNow({ interval: 1000 })
}
