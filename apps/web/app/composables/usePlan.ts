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
  const { active, waiting, drafts, lanes } = storeToRefs(useOrder())
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
    const planned = planLanes(known, lanes.value)
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
