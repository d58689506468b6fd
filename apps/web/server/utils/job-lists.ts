import type { JobChoice, JobRecord, PlannedJobRecord } from '@hematine/core'
import { listJobs } from '@hematine/database'
import type { Agendas } from './agendas'
import type { Application } from './application'
import { lotOf } from './lot-choice'

type Made = Awaited<ReturnType<Agendas['of']>>

/** Jobs by number as lines of a list, in the order given; those that are gone meanwhile are left out. */
export async function plannedRecords(
  application: Application,
  { agenda, own }: Made,
  ids: readonly number[],
): Promise<PlannedJobRecord[]> {
  const lots = new Map(own.map(job => [job.id, job.lotId]))
  const records = new Map<number, JobRecord>(
    ids.length === 0 ? [] : (await listJobs(application.em(), { ids })).map(job => [job.id, job]),
  )
  return ids.flatMap(id => {
    const job = records.get(id)
    return job ? [{ ...job, lotId: lots.get(id) ?? null, end: agenda.places.get(id)?.end ?? null }] : []
  })
}

/** What a request says of which jobs it wants. */
export function choiceOf(query: Omit<JobChoice, 'lotId'> & { lotId?: number | 'none' | undefined }): JobChoice {
  const { states, sourceId, specKey, sample, lotId } = lotOf(query)
  return { states, sourceId, specKey, sample, lotId }
}
