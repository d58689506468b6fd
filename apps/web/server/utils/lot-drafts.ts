import type { JobOutline } from '@hematine/core'
import { readJob } from '@hematine/database'
import type { Application } from './application'

/** The drafts of a draft's lot that have its spec, itself included; of its source alone, where that is in no lot yet. */
export async function lotDrafts(application: Application, jobId: number): Promise<JobOutline[]> {
  const { orderId, lotId, sourceId, specKey } = await readJob(application.em(), jobId)
  const where = lotId === null ? { sourceId } : { lotId }
  const { jobs } = await application.agendas.list(orderId, { states: ['draft'], specKey, ...where }, 'plan')
  return jobs
}
