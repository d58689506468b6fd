import { setImmediate } from 'node:timers/promises'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  asMeasured,
  CannotTreat,
  CutsUnknown,
  deriveTreatment,
  describeState,
  plannedPieces,
  stepKinds,
  type DeliverySpec,
  type JobRecord,
  type Piece,
  type Step,
  type Treatment,
} from '@hematine/core'
import { sourceName } from './as-records.ts'
import {
  JobEntity,
  SourceEntity,
  VolumeEntity,
  type JobRow,
  type LotRow,
  type SourceRow,
  type TreatmentRow,
  type VolumeRow,
} from './entities.ts'
import { removeJobs } from './job-actions.ts'
import { lastPosition, recordAll } from './job-events.ts'
import { listJobs } from './jobs.ts'
import { lotName } from './lots.ts'
import { askToMeasure, cutsOfSources } from './measurements.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { resultPaths } from './result-names.ts'
import { askForStandIns, ensureSamples } from './samples.ts'
import { specsByKey } from './specs.ts'
import { asArray, run } from './sql.ts'
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
const wishesAtOnce = 100
/** Jobs of one call: a person who asks for more has cut sources in smaller pieces than was meant. */
const mostDraftsAtOnce = 50_000
/** Working out treatments gives others a turn after so long. */
const turnMilliseconds = 15

/** A wish that can be met. */
interface Drafted {
  source: SourceRow
  spec: DeliverySpec
  treatment: Treatment
  piece: Piece | null
  /** That were chosen for its lot. */
  steps: readonly Step[]
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

/**
 * See `draftJobs`: for batches whose jobs are not read right after.
 * @param progress told how many wishes of how many are through
 * @param signal stops it between two pieces; nothing is drafted then
 * @param most jobs that one call drafts; more are refused
 * @returns numbers of the drafts
 * @throws Problem when the volume is none for results, it was stopped, or there would be too many
 */
export async function draftJobIds(
  em: EntityManager,
  queue: TaskQueue,
  wishes: readonly JobWish[],
  deliveryVolumeId: number,
  {
    progress,
    signal,
    most = mostDraftsAtOnce,
  }: { progress?: (done: number, of: number) => void; signal?: AbortSignal; most?: number } = {},
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
    const [ids, fresh, samples]: [number[], number[], number[]] = [[], [], []]
    const specs = await specsByKey(tx)
    let position = await lastPosition(tx)
    for (let first = 0; first < single.length; first += wishesAtOnce) {
      if (signal?.aborted) throw new Problem(409, 'stopped', 'Drafting was stopped, and nothing was drafted.')
      const { drafted, uncut } = await workOut(
        tx,
        single.slice(first, first + wishesAtOnce),
        specs,
        refused,
        most - ids.length,
      )
      await askToMeasure(tx, queue, uncut, 'through')
      const begun = ids.length
      // A source may become many drafts.
      for (let from = 0; from < drafted.length; from += wishesAtOnce) {
        const kept = await keepDrafts(tx, volume, drafted.slice(from, from + wishesAtOnce), position + from)
        ids.push(...kept.ids)
        fresh.push(...kept.fresh)
        samples.push(...kept.samples)
        tx.clear()
      }
      await removeOtherPieces(tx, drafted, ids.slice(begun))
      position += drafted.length
      // What is written is no longer needed; a unit of work that grows makes every further write slower.
      tx.clear()
      progress?.(Math.min(single.length, first + wishesAtOnce), single.length)
    }
    await recordAll(tx, fresh, 'create', null, 'draft')
    await askForStandIns(tx, queue, samples)
    return { ids, refused }
  })
}

/**
 * @param most jobs that may be made of them
 * @returns what can be drafted, and the sources that have to be looked through for cuts before
 * @throws Problem where there would be more
 */
async function workOut(
  tx: EntityManager,
  wishes: readonly JobWish[],
  specs: ReadonlyMap<string, DeliverySpec>,
  refused: RefusedWish[],
  most: number,
): Promise<{ drafted: Drafted[]; uncut: number[] }> {
  const sources = new Map(
    (
      await tx.find(
        SourceEntity,
        { id: { $in: wishes.map(wish => wish.sourceId) } },
        { populate: ['lot.treatment'] as never },
      )
    ).map(row => [row.id, row]),
  )
  const cuts = await cutsOfSources(
    tx,
    wishes.filter(wish => specs.get(wish.specKey)?.pieces?.at === 'cuts').map(wish => wish.sourceId),
  )
  const drafted: Drafted[] = []
  const uncut: number[] = []
  let turn = Date.now()
  for (const wish of wishes) {
    const refuse = (reason: string) => refused.push({ ...wish, reason })
    const source = sources.get(wish.sourceId)
    const spec = specs.get(wish.specKey)
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
      const facts = asMeasured(source.facts, source.findings ?? [])
      const steps = chosen?.steps ?? []
      const whole = { source, spec, steps, treatmentName: chosen ? treatmentName(chosen) : null }
      const pieces: Drafted[] = []
      const all = plannedPieces(facts, spec, steps, cuts.get(source.id) ?? null)
      if (drafted.length + all.length > most)
        throw new Problem(
          409,
          'too-many-jobs',
          'These sources would become too many jobs at once, so nothing was drafted. Choose fewer sources at a time, or longer pieces in the spec.',
        )
      for (const planned of all) {
        pieces.push({ ...whole, piece: planned.piece, treatment: deriveTreatment(facts, spec, planned.steps) })
        turn = await takeTurns(turn)
      }
      drafted.push(...pieces)
    } catch (error) {
      if (!(error instanceof CannotTreat)) throw error
      const looks = error instanceof CutsUnknown
      if (looks) uncut.push(source.id)
      refuse(
        looks
          ? `Where ${sourceName(source)} cuts is not known yet. It is being measured: draft it once more when that is done.`
          : error.message,
      )
    }
    turn = await takeTurns(turn)
  }
  return { drafted, uncut }
}

/** Gives others a turn where the last one is long ago. @param turn when that was @returns when the last one is now */
async function takeTurns(turn: number): Promise<number> {
  if (Date.now() - turn <= turnMilliseconds) return turn
  await setImmediate()
  return Date.now()
}

/** @param position of the last job; new drafts come after it. @returns their numbers, in the order of the wishes, and which of them are new */
async function keepDrafts(
  tx: EntityManager,
  volume: VolumeRow,
  drafted: readonly Drafted[],
  position: number,
): Promise<{ ids: number[]; fresh: number[]; samples: number[] }> {
  if (drafted.length === 0) return { ids: [], fresh: [], samples: [] }
  const samples = await ensureSamples(tx, drafted)
  const paths = await resultPaths(tx, drafted, new Date().toISOString().slice(0, 10))
  const known = await run<{ id: number; source: number; spec: string; piece: number | null }>(
    tx,
    `select id, source_id as source, spec ->> 'key' as spec, (piece ->> 'number')::int as piece from job where state = 'draft' and source_id = any(?::int[])`,
    [asArray(drafted.map(entry => entry.source.id))],
  )
  const keyOf = (source: number, spec: string, piece: number | null | undefined) => `${source} ${spec} ${piece ?? 0}`
  const twins = new Map(known.map(job => [keyOf(job.source, job.spec, job.piece), job.id]))
  const entries = drafted.map(({ source, spec, treatment, piece, treatmentName }, index) => ({
    place: index,
    twin: twins.get(keyOf(source.id, spec.key, piece?.number)) ?? null,
    order_id: source.order.id,
    source_id: source.id,
    sample_id: samples[index]!,
    spec,
    treatment,
    piece,
    treatment_name: treatmentName,
    position: position + index + 1,
    facts: source.facts,
    findings: source.findings ?? [],
    identity: source.identity ?? null,
    planned_path: paths[index]!,
  }))
  const columns =
    'order_id, source_id, sample_id, spec, treatment, piece, treatment_name, facts, findings, identity, planned_path'
  const recordset = `jsonb_to_recordset(?::jsonb) as entry (place int, twin int, order_id int, source_id int, sample_id int, spec jsonb, treatment jsonb, piece jsonb,
    treatment_name text, position double precision, facts jsonb, findings jsonb, identity text, planned_path text)`
  const [again, fresh] = [entries.filter(entry => entry.twin !== null), entries.filter(entry => entry.twin === null)]
  if (again.length > 0)
    await run(
      tx,
      `update job set (${columns}) = (${columns
        .split(', ')
        .map(column => `entry.${column}`)
        .join(', ')}), delivery_volume_id = ? from ${recordset} where job.id = entry.twin`,
      [volume.id, JSON.stringify(again)],
    )
  const made =
    fresh.length === 0
      ? []
      : await run<{ id: number }>(
          tx,
          `insert into job (${columns}, delivery_volume_id, state, position) select ${columns}, ?, 'draft', position from ${recordset} order by place returning id`,
          [volume.id, JSON.stringify(fresh)],
        )
  const idOf = new Map(again.map(entry => [entry.place, entry.twin!]))
  for (const [index, { id }] of made.entries()) idOf.set(fresh[index]!.place, id)
  return { ids: entries.map(entry => idOf.get(entry.place)!), fresh: made.map(row => row.id), samples }
}

/** Removes drafts of pieces that a source is no longer cut in, or of its whole where it is cut now. @param kept the drafts that there are to be */
async function removeOtherPieces(
  tx: EntityManager,
  drafted: readonly Drafted[],
  kept: readonly number[],
): Promise<void> {
  const wished = [...new Set(drafted.map(({ source, spec }) => `${source.id} ${spec.key}`))]
  const others = await run<{ id: number }>(
    tx,
    `select id from job where state = 'draft' and source_id || ' ' || (spec ->> 'key') in (select jsonb_array_elements_text(?::jsonb))
       and source_id = any(?::int[]) and id <> all(?::int[])`,
    [JSON.stringify(wished), asArray(drafted.map(({ source }) => source.id)), asArray(kept)],
  )
  if (others.length > 0) await removeJobs(tx, others)
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
  const { jobs, refused } = await draftAgain(em, queue, drafts)
  return { jobs, refused: refused.map(({ reason }) => reason) }
}

/** Works drafts out anew, each for its own volume. @param specKey another spec for them; each keeps its own unless said */
export async function draftAgain(
  em: EntityManager,
  queue: TaskQueue,
  drafts: readonly JobRow[],
  specKey?: string,
): Promise<{ jobs: JobRecord[]; refused: RefusedWish[] }> {
  const answer: { jobs: JobRecord[]; refused: RefusedWish[] } = { jobs: [], refused: [] }
  for (const volume of new Set(drafts.map(draft => draft.deliveryVolume.id))) {
    const wishes = drafts
      .filter(draft => draft.deliveryVolume.id === volume)
      .map(draft => ({ sourceId: draft.source.id, specKey: specKey ?? draft.spec.key }))
    const { jobs, refused } = await draftJobs(em.fork(), queue, wishes, volume)
    answer.jobs.push(...jobs)
    answer.refused.push(...refused)
  }
  return answer
}
