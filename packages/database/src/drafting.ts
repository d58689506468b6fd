import { setImmediate } from 'node:timers/promises'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  asMeasured,
  builtInSpecs,
  CannotTreat,
  deriveTreatment,
  describeState,
  stepKinds,
  type DeliverySpec,
  type JobRecord,
  type Step,
  type Treatment,
} from '@hematine/core'
import { sourceName } from './as-records.ts'
import {
  JobEntity,
  SourceEntity,
  VolumeEntity,
  type LotRow,
  type SourceRow,
  type TreatmentRow,
  type VolumeRow,
} from './entities.ts'
import { lastPosition, recordAll } from './job-events.ts'
import { listJobs } from './jobs.ts'
import { lotName } from './lots.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { ensureSamples } from './samples.ts'
import { keepTreatment, treatLots, treatmentName } from './treatments.ts'

export interface JobWish {
  sourceId: number
  specKey: string
}

export interface RefusedWish extends JobWish {
  /** Why, as a sentence. */
  reason: string
}

/** Wishes that are read, worked out and written together: few enough that others are served in between. */
const wishesAtOnce = 200
/** Working out treatments gives others a turn after so long. */
const turnMilliseconds = 15

/** A wish that can be met. */
interface Drafted {
  source: SourceRow
  spec: DeliverySpec
  treatment: Treatment
  treatmentName: string | null
}

/**
 * Drafts jobs and asks for what their forecasts need, all in one transaction. A wish that cannot be met is refused with a sentence and the others go on.
 * A draft of the same source and spec that exists already is made anew instead of a second one: with the treatment that its lot has now, the source as it
 * was last read, and the volume that is asked for.
 */
export async function draftJobs(
  em: EntityManager,
  queue: TaskQueue,
  wishes: readonly JobWish[],
  deliveryVolumeId: number,
): Promise<{ jobs: JobRecord[]; refused: RefusedWish[] }> {
  const { ids, refused } = await draftJobIds(em, queue, wishes, deliveryVolumeId)
  return { jobs: await listJobs(em.fork(), { ids }), refused }
}

/** See `draftJobs`: for batches whose jobs are not read right after. @returns numbers of the drafts */
export async function draftJobIds(
  em: EntityManager,
  queue: TaskQueue,
  wishes: readonly JobWish[],
  deliveryVolumeId: number,
): Promise<{ ids: number[]; refused: RefusedWish[] }> {
  return em.transactional(async tx => {
    const volume = found(await tx.findOne(VolumeEntity, deliveryVolumeId), 'volume', deliveryVolumeId)
    if (volume.role !== 'delivery')
      throw new Problem(
        409,
        'not-a-delivery-volume',
        `${volume.name} is a ${volume.role} volume. Choose a delivery volume for the results.`,
      )
    const single = [...new Map(wishes.map(wish => [`${wish.sourceId} ${wish.specKey}`, wish])).values()]
    const refused: RefusedWish[] = []
    const ids: number[] = []
    let position = await lastPosition(tx)
    for (let first = 0; first < single.length; first += wishesAtOnce) {
      const drafted = await workOut(tx, single.slice(first, first + wishesAtOnce), refused)
      ids.push(...(await keepDrafts(tx, queue, volume, drafted, position)))
      position += drafted.length
      // What is written is no longer needed; a unit of work that grows makes every further write slower.
      tx.clear()
    }
    return { ids, refused }
  })
}

async function workOut(tx: EntityManager, wishes: readonly JobWish[], refused: RefusedWish[]): Promise<Drafted[]> {
  const sources = new Map(
    (
      await tx.find(
        SourceEntity,
        { id: { $in: wishes.map(wish => wish.sourceId) } },
        { populate: ['lot.treatment'] as never },
      )
    ).map(row => [row.id, row]),
  )
  const drafted: Drafted[] = []
  let turn = Date.now()
  for (const wish of wishes) {
    const refuse = (reason: string) => refused.push({ ...wish, reason })
    const source = sources.get(wish.sourceId)
    const spec = builtInSpecs.find(entry => entry.key === wish.specKey)
    if (!source || !spec) {
      refuse(source ? `There is no delivery spec ${wish.specKey}.` : `There is no source ${wish.sourceId}.`)
      continue
    }
    if (source.state !== 'ready' || !source.facts) {
      refuse(
        source.state === 'reading'
          ? `${sourceName(source)} is still being read. Try again in a moment.`
          : `${sourceName(source)} cannot be used: ${source.reason}`,
      )
      continue
    }
    const chosen = (source.lot?.getEntity() as LotRow | undefined)?.treatment?.getEntity() as TreatmentRow | undefined
    try {
      drafted.push({
        source,
        spec,
        treatment: deriveTreatment(asMeasured(source.facts, source.findings ?? []), spec, chosen?.steps ?? []),
        treatmentName: chosen ? treatmentName(chosen) : null,
      })
    } catch (error) {
      if (!(error instanceof CannotTreat)) throw error
      refuse(error.message)
    }
    if (Date.now() - turn > turnMilliseconds) {
      await setImmediate()
      turn = Date.now()
    }
  }
  return drafted
}

/** @param position of the last job; new drafts come after it. @returns their numbers, in the order of the wishes */
async function keepDrafts(
  tx: EntityManager,
  queue: TaskQueue,
  volume: VolumeRow,
  drafted: readonly Drafted[],
  position: number,
): Promise<number[]> {
  if (drafted.length === 0) return []
  const samples = await ensureSamples(tx, queue, drafted)
  const known = await tx.find(
    JobEntity,
    { source: { $in: drafted.map(entry => entry.source.id) }, state: 'draft' },
    { fields: ['id', 'source', 'spec'] },
  )
  const twins = new Map(known.map(job => [`${job.source.id} ${job.spec.key}`, job.id]))
  const rows = drafted.map(({ source, spec, treatment, treatmentName }, index) => ({
    twin: twins.get(`${source.id} ${spec.key}`),
    columns: {
      order: source.order.id,
      source: source.id,
      sample: samples[index]!,
      deliveryVolume: volume.id,
      spec,
      treatment,
      treatmentName,
      state: 'draft' as const,
      facts: source.facts!,
      findings: source.findings ?? [],
      identity: source.identity ?? null,
    },
    position: position + index + 1,
  }))
  for (const { twin, columns } of rows)
    if (twin !== undefined) await tx.nativeUpdate(JobEntity, { id: twin }, columns as never)
  const fresh = rows.filter(row => row.twin === undefined)
  const made = new Map(
    fresh.map(row => [row, tx.create(JobEntity, { ...row.columns, position: row.position } as never)]),
  )
  await tx.flush()
  await recordAll(
    tx,
    [...made.values()].map(job => job.id),
    'create',
    null,
    'draft',
  )
  return rows.map(row => row.twin ?? made.get(row)!.id)
}

/**
 * Adds a step to the treatment of the lot that a draft's source is in, and works out the lot's drafts anew. A step of the kind that is there already is
 * replaced, where a treatment may have only one.
 * @returns the drafts, and why some could not be worked out
 * @throws Problem when the job is no draft, or the steps cannot be together
 */
export async function addStep(
  em: EntityManager,
  queue: TaskQueue,
  jobId: number,
  step: Step,
): Promise<{ jobs: JobRecord[]; refused: string[] }> {
  const job = found(await em.findOne(JobEntity, jobId, { populate: ['source.lot.treatment'] as never }), 'job', jobId)
  if (job.state !== 'draft')
    throw new Problem(
      409,
      'no-draft',
      `Job ${jobId} is ${describeState(job.state)}; only drafts can be given a step. Draft it anew.`,
    )
  const lot = (job.source.getEntity() as SourceRow).lot?.getEntity() as LotRow | undefined
  if (!lot)
    throw new Problem(
      409,
      'no-lot',
      'The source is in no lot yet, so there is no treatment to add a step to. Try again when it was measured.',
    )
  const before = lot.treatment?.getEntity() as TreatmentRow | undefined
  const steps = [
    ...(before?.steps ?? []).filter(other => other.kind !== step.kind || stepKinds[step.kind].several),
    step,
  ]
  const treatment = await keepTreatment(em.fork(), before?.name ?? `${lotName(lot)} as found`, steps)
  await treatLots(em.fork(), [lot.id], treatment.id)
  const drafts = await em
    .fork()
    .find(JobEntity, { state: 'draft', source: { lot: lot.id } as never }, { orderBy: { id: 1 } })
  const jobs: JobRecord[] = []
  const refused: string[] = []
  for (const volume of new Set(drafts.map(draft => draft.deliveryVolume.id))) {
    const answer = await draftJobs(
      em.fork(),
      queue,
      drafts
        .filter(draft => draft.deliveryVolume.id === volume)
        .map(draft => ({ sourceId: draft.source.id, specKey: draft.spec.key })),
      volume,
    )
    jobs.push(...answer.jobs)
    refused.push(...answer.refused.map(({ reason }) => reason))
  }
  return { jobs, refused }
}
