import type { EntityManager } from '@mikro-orm/postgresql'
import { planOf, whyNotCompared, type ComparisonRecord, type TreatedLikeness } from '@hematine/core'
import { ComparisonEntity, JobEntity, type ComparisonRow, type SampleRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'

/** Two jobs whose treated frames show the same: the first is held against the second. */
export interface ComparedJobs {
  jobId: number
  referenceId: number
}

/** The samples that two jobs' forecasts are from: what is compared. @throws Problem where a job is gone, or has none */
async function samplesOf(em: EntityManager, { jobId, referenceId }: ComparedJobs): Promise<[SampleRow, SampleRow]> {
  const sampleOf = async (id: number) => {
    const job = found(await em.findOne(JobEntity, id, { populate: ['sample'] as never }), 'job', id)
    const sample = job.sample?.getEntity() as SampleRow | undefined
    if (!sample) throw new Problem(409, 'no-forecast', `Job ${id} has no forecast yet. Measure it first.`)
    return sample
  }
  return [await sampleOf(jobId), await sampleOf(referenceId)]
}

async function comparisonOf(em: EntityManager, jobs: ComparedJobs): Promise<ComparisonRow | null> {
  const [sample, reference] = await samplesOf(em, jobs)
  return em.findOne(ComparisonEntity, { sample: sample.id, reference: reference.id })
}

/** How a comparison is. */
export async function readComparison(em: EntityManager, jobs: ComparedJobs): Promise<ComparisonRecord> {
  const row = await comparisonOf(em, jobs)
  return {
    state: row?.state ?? 'none',
    part: row?.part ?? null,
    reason: row?.reason ?? null,
    likeness: row?.likeness ?? null,
  }
}

/**
 * Has the treated frames of two jobs compared; what is known already is not measured again.
 * @throws Problem 409 where their frames cannot be compared one by one
 */
export async function askForComparison(
  em: EntityManager,
  queue: TaskQueue,
  jobs: ComparedJobs,
): Promise<ComparisonRecord> {
  await em.transactional(async tx => {
    const [sample, reference] = await samplesOf(tx, jobs)
    const because = whyNotCompared(planOf(sample), planOf(reference))
    if (because) throw new Problem(409, 'not-comparable', because)
    const there = await comparisonOf(tx, jobs)
    if (there && there.state !== 'failed') return
    const row =
      there ?? tx.create(ComparisonEntity, { sample: sample.id, reference: reference.id, state: 'waiting', run: 0 })
    tx.assign(row, { state: 'waiting', part: null, reason: null })
    await tx.flush()
    await queue.send('compare', { comparisonId: row.id }, tx)
  })
  return readComparison(em.fork(), jobs)
}

/** Lets go of a comparison that is still to be made, or being made. */
export async function stopComparison(em: EntityManager, jobs: ComparedJobs): Promise<ComparisonRecord> {
  const row = await comparisonOf(em, jobs)
  if (row) await em.nativeDelete(ComparisonEntity, { id: row.id, state: { $in: ['waiting', 'measuring'] } })
  return readComparison(em.fork(), jobs)
}

/** A comparison with what it is of, for a worker about to make it; null when it is no longer wanted. */
export async function beginComparison(em: EntityManager, id: number): Promise<ComparisonRow | null> {
  const row = await em.findOne(ComparisonEntity, id, {
    populate: ['sample.source.volume', 'reference.source.volume'] as never,
  })
  if (!row || row.state === 'ready' || row.state === 'failed') return null
  em.assign(row, { state: 'measuring', part: 0, run: row.run + 1 })
  await em.flush()
  return row
}

/** What is being made: a later beginning takes its place. */
const underWay = ({ id, run }: Pick<ComparisonRow, 'id' | 'run'>) => ({ id, run, state: 'measuring' as const })

/** Keeps how far a comparison is. @returns false when it is no longer wanted */
export async function keepComparisonPart(
  em: EntityManager,
  row: Pick<ComparisonRow, 'id' | 'run'>,
  part: number,
): Promise<boolean> {
  return (await em.nativeUpdate(ComparisonEntity, underWay(row), { part })) > 0
}

/** Keeps what a comparison found, unless it was begun again or let go of meanwhile. */
export async function keepComparison(
  em: EntityManager,
  row: Pick<ComparisonRow, 'id' | 'run'>,
  likeness: TreatedLikeness,
): Promise<void> {
  await em.nativeUpdate(ComparisonEntity, underWay(row), { state: 'ready', part: null, reason: null, likeness })
}

/** Keeps why it could not be made; see `keepComparison`. */
export async function keepComparisonFailure(
  em: EntityManager,
  row: Pick<ComparisonRow, 'id' | 'run'>,
  reason: string,
): Promise<void> {
  await em.nativeUpdate(ComparisonEntity, underWay(row), { state: 'failed', part: null, reason })
}
