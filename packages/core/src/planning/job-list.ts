import { z } from 'zod'
import { type JobState } from '../job.ts'
import { type SampleState } from '../sample-state.ts'
import type { Agenda } from './agenda.ts'
import { byPlace, type JobOutline } from './outline.ts'

/** What a list of jobs may be sorted by: the plan's order, a verdict with failures first, or a column. */
export const JobSort = z.enum([
  'plan',
  'verdict',
  'name',
  'spec',
  'length',
  'seconds',
  'bytes',
  'end',
  'source-bytes',
  'took',
])
export type JobSort = z.infer<typeof JobSort>

/** Which jobs of an order a list shows. */
export interface JobChoice {
  states?: readonly JobState[] | undefined
  /** Of one lot; null for those in none. */
  lotId?: number | null | undefined
  sourceId?: number | undefined
  specKey?: string | undefined
  sample?: SampleState | undefined
}

/** The jobs that a choice lets through. */
export function chooseJobs(
  jobs: readonly JobOutline[],
  { states, lotId, sourceId, specKey, sample }: JobChoice,
): JobOutline[] {
  return jobs.filter(
    job =>
      (!states || states.includes(job.state)) &&
      (lotId === undefined || job.lotId === lotId) &&
      (sourceId === undefined || job.sourceId === sourceId) &&
      (specKey === undefined || job.specKey === specKey) &&
      (sample === undefined || job.sampleState === sample),
  )
}

const words = new Intl.Collator('en', { numeric: true })

/** Jobs in a list's order; equal ones in the plan's. What has no value comes last in either direction. */
export function sortJobs(
  jobs: readonly JobOutline[],
  sort: JobSort,
  descending: boolean,
  agenda: Agenda,
): JobOutline[] {
  const direction = descending ? -1 : 1
  if (sort === 'plan') return [...jobs].sort((a, b) => direction * byPlace(a, b))
  if (sort === 'name' || sort === 'spec') {
    const text = (job: JobOutline) => (sort === 'name' ? job.sourceName : job.specName)
    return [...jobs].sort((a, b) => direction * words.compare(text(a), text(b)) || byPlace(a, b))
  }
  const value = (job: JobOutline): number | null => {
    switch (sort) {
      case 'verdict':
        return job.state === 'failed' ? 0 : job.verdict === 'look' ? 1 : 2
      case 'length':
        return job.extent.durationSeconds
      case 'seconds':
        return agenda.forecasts.get(job.id)?.seconds.expected ?? null
      case 'bytes':
        return job.outputBytes ?? agenda.forecasts.get(job.id)?.bytes.expected ?? null
      case 'end':
        return agenda.places.get(job.id)?.end.expected ?? null
      case 'source-bytes':
        return job.sourceBytes
      case 'took':
        return job.workSeconds
    }
  }
  const valued = jobs.map(job => ({ job, value: value(job) }))
  return valued
    .sort((a, b) => {
      if (a.value === null || b.value === null)
        return Number(a.value === null) - Number(b.value === null) || byPlace(a.job, b.job)
      return direction * (a.value - b.value) || byPlace(a.job, b.job)
    })
    .map(({ job }) => job)
}
