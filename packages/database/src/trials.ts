import type { EntityManager } from '@mikro-orm/postgresql'
import {
  asMeasured,
  CannotTreat,
  chooseMoments,
  deriveTreatment,
  Moment,
  type Step,
  type TrialMoment,
  type TrialRecord,
} from '@hematine/core'
import { MeasurementEntity, SourceEntity, TrialEntity, VolumeEntity, type TrialRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { specCalled } from './specs.ts'

export function trialRecord(row: TrialRow): TrialRecord {
  return {
    id: row.id,
    orderId: row.order.id,
    lotId: row.lot?.id ?? null,
    sourceId: row.source.id,
    label: row.label,
    steps: row.steps,
    treatment: row.treatment,
    spec: row.spec,
    moments: row.moments,
    results: row.results,
    looks: row.looks,
    state: row.state,
    reason: row.reason ?? null,
  }
}

/** Trials of an order, or of one of its sources, or some of them by number, oldest first. */
export async function listTrials(
  em: EntityManager,
  where: { orderId: number; sourceId?: number | undefined } | { ids: readonly number[] },
): Promise<TrialRecord[]> {
  const rows = await em.find(
    TrialEntity,
    'ids' in where
      ? { id: { $in: [...where.ids] } }
      : { order: where.orderId, ...(where.sourceId === undefined ? {} : { source: where.sourceId }) },
    { orderBy: { id: 1 } },
  )
  return rows.map(trialRecord)
}

/** The moments of a source: those that a person set, otherwise those that its measurement gives. */
export async function momentsOf(em: EntityManager, sourceId: number): Promise<{ moments: Moment[]; byHand: boolean }> {
  const source = found(await em.findOne(SourceEntity, sourceId), 'source', sourceId)
  if (source.moments) return { moments: source.moments, byHand: true }
  const kept = await em.findOne(MeasurementEntity, { source: sourceId })
  return {
    moments: chooseMoments(kept?.measurement.picture ?? null, source.facts?.durationSeconds ?? 0),
    byHand: false,
  }
}

/** Sets a source's moments by hand; null lets its measurement choose them again. */
export async function setMoments(
  em: EntityManager,
  sourceId: number,
  moments: readonly Moment[] | null,
): Promise<void> {
  const source = found(await em.findOne(SourceEntity, sourceId), 'source', sourceId)
  const length = source.facts?.durationSeconds ?? 0
  const outside = moments?.find(moment => moment.to <= moment.from || moment.from >= length)
  if (outside)
    throw new Problem(
      409,
      'bad-moment',
      `The moment from ${outside.from.toFixed(2)} to ${outside.to.toFixed(2)} s does not lie in the source, which is ${length.toFixed(2)} s long.`,
    )
  source.moments = moments && [...moments].sort((a, b) => a.from - b.from)
  await em.flush()
}

export interface TrialWish {
  label: string
  steps: Step[]
}

/**
 * Asks for trials of a source: each wish on the source's moments, with one spec. A wish that cannot be done is refused with a sentence,
 * the others go on.
 */
export async function askForTrials(
  em: EntityManager,
  queue: TaskQueue,
  sourceId: number,
  specKey: string,
  wishes: readonly TrialWish[],
): Promise<{ trials: TrialRecord[]; refused: { label: string; reason: string }[] }> {
  const spec = await specCalled(em.fork(), specKey)
  return em.transactional(async tx => {
    const source = found(await tx.findOne(SourceEntity, sourceId), 'source', sourceId)
    if (source.state !== 'ready' || !source.facts)
      throw new Problem(409, 'not-ready', 'Only a source that can be used is tried. Choose another one.')
    const volume =
      (await tx.findOne(VolumeEntity, { role: 'working' }, { orderBy: { id: 1 } })) ??
      (await tx.findOne(VolumeEntity, { role: 'delivery' }, { orderBy: { id: 1 } }))
    if (!volume)
      throw new Problem(
        409,
        'no-volume',
        'There is no working or delivery volume to keep trials in. Register one under Equipment.',
      )
    const { moments } = await momentsOf(tx, sourceId)
    if (moments.length === 0 || !Moment.array().safeParse(moments).success)
      throw new Problem(409, 'no-moments', 'The source has no length to choose moments from. Set them by hand.')
    const made: TrialRow[] = []
    const refused: { label: string; reason: string }[] = []
    for (const { label, steps } of wishes) {
      try {
        const treatment = deriveTreatment(asMeasured(source.facts, source.findings ?? []), spec, steps)
        if (treatment.result !== null && treatment.copied)
          throw new CannotTreat(
            `${spec.name} copies this picture untouched, so there is nothing to try. Try a step, or another spec.`,
          )
        made.push(
          tx.create(TrialEntity, {
            order: source.order,
            lot: source.lot,
            source,
            volume,
            label,
            steps,
            treatment,
            spec,
            moments,
            results: moments.map(() => null),
            state: 'waiting',
          } as never),
        )
      } catch (error) {
        if (!(error instanceof CannotTreat)) throw error
        refused.push({ label, reason: error.message })
      }
    }
    await tx.flush()
    for (const row of made) await queue.send('trial', { trialId: row.id }, tx, -row.id)
    return { trials: made.map(trialRecord), refused }
  })
}

/** A trial about to be run, with its source and volumes; null when it is no longer wanted. */
export async function beginTrial(em: EntityManager, trialId: number): Promise<TrialRow | null> {
  const row = await em.findOne(TrialEntity, trialId, { populate: ['source', 'source.volume', 'volume'] as never })
  if (!row || row.state === 'ready' || row.state === 'failed') return null
  em.assign(row, { state: 'running', reason: null } as never)
  await em.flush()
  return row
}

/** Notes that first pictures of so many moments are there. @returns false when the trial was removed meanwhile */
export async function keepTrialLooks(em: EntityManager, trialId: number, looks: number): Promise<boolean> {
  return (await em.nativeUpdate(TrialEntity, { id: trialId }, { looks })) > 0
}

/** Keeps what a trial found at one of its moments. @returns false when the trial was removed meanwhile */
export async function keepTrialMoment(
  em: EntityManager,
  trialId: number,
  index: number,
  result: TrialMoment,
): Promise<boolean> {
  return em.transactional(async tx => {
    const row = await tx.findOne(TrialEntity, trialId)
    if (!row) return false
    const results = row.results.map((entry, at) => (at === index ? result : entry))
    tx.assign(row, { results, state: results.every(entry => entry !== null) ? 'ready' : row.state } as never)
    return true
  })
}

export async function keepTrialFailure(em: EntityManager, trialId: number, reason: string): Promise<void> {
  await em.nativeUpdate(TrialEntity, { id: trialId }, { state: 'failed', reason })
}

/** A trial with its source and the volumes of both, for reading its files. */
export async function readTrialWithFiles(em: EntityManager, trialId: number): Promise<TrialRow> {
  return found(
    await em.findOne(TrialEntity, trialId, { populate: ['source', 'source.volume', 'volume'] as never }),
    'trial',
    trialId,
  )
}

/** Takes trials away. One that runs is ended by its worker, which sees that it is gone; their files go with the next tidying. */
export async function removeTrials(em: EntityManager, ids: readonly number[]): Promise<void> {
  await em.nativeDelete(TrialEntity, { id: { $in: [...ids] } })
}

/** Numbers of the sources that have trials. */
export async function triedSources(em: EntityManager): Promise<Set<number>> {
  return new Set((await em.find(TrialEntity, {}, { fields: ['source'] })).map(row => row.source.id))
}

/** Which of these trials there are. */
export async function knownTrials(em: EntityManager, ids: readonly number[]): Promise<Set<number>> {
  return new Set((await em.find(TrialEntity, { id: { $in: [...ids] } }, { fields: ['id'] })).map(row => row.id))
}
