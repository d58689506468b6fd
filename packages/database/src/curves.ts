import { isDeepStrictEqual } from 'node:util'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  calibratedRange,
  calibrationFor,
  curvePoints,
  describeVideoCodec,
  describeState,
  extentOf,
  hasPicture,
  kindOfWork,
  kneeOf,
  pictureCodec,
  planOf,
  specTitle,
  workTraits,
  type Calibrations,
  type CurveMeasurement,
  type CurvePoint,
  type CurveRecord,
  type JobRecord,
  type PictureSpec,
  type QualityScale,
  jobNeed,
} from '@hematine/core'
import { draftAgain } from './drafting.ts'
import {
  CurveEntity,
  JobEntity,
  type CurveRow,
  type JobRow,
  type LotRow,
  type SampleRow,
  type SourceRow,
  type VolumeRow,
} from './entities.ts'
import { actOnJobs } from './job-actions.ts'
import { calibrationsOf } from './outcomes.ts'
import { found, Problem } from './problem.ts'
import { needing, type TaskQueue } from './queue.ts'
import { keepRate } from './specs.ts'

const whole = { populate: ['sample', 'source', 'source.lot'] as never }

/** What a draft's curve is of. @throws Problem when it can have none */
export function curvedPlan(job: JobRow): { spec: PictureSpec; scale: QualityScale } {
  const plan = planOf(job)
  const scale = hasPicture(plan) ? pictureCodec(plan.spec.video.codec).quality : null
  if (!hasPicture(plan) || !scale)
    throw new Problem(
      409,
      'no-scale',
      `The size of ${specTitle(job.spec)} follows from its format, so there is no quality to choose. Choose a spec whose codec holds a quality.`,
    )
  if (plan.treatment.copied)
    throw new Problem(
      409,
      'copied',
      `${specTitle(job.spec)} copies this picture untouched, so there is no quality to choose. Choose a spec that encodes it.`,
    )
  return { spec: plan.spec, scale }
}

/** @throws Problem for a job that is no draft */
export function mustBeDraft({ id, state }: JobRow): void {
  if (state === 'draft') return
  throw new Problem(
    409,
    'no-draft',
    `Job ${id} is ${describeState(state)}; only a draft can be given another quality. Draft it anew.`,
  )
}

/**
 * Has the curve of a draft measured: what its source, treatment and codec come to at other qualities than the spec's. One that is there already, its own or
 * that of another draft, is taken unless it is to be measured anew.
 * @throws Problem when its codec has no scale, or it has no forecast yet, whose stretches the curve is of
 */
export async function askForCurve(
  em: EntityManager,
  queue: TaskQueue,
  jobId: number,
  { anew = false } = {},
): Promise<CurveRecord> {
  await em.transactional(async tx => {
    const job = found(await tx.findOne(JobEntity, jobId, whole), 'job', jobId)
    curvedPlan(job)
    const sample = job.sample?.getEntity() as SampleRow | undefined
    if (sample?.state !== 'ready')
      throw new Problem(
        409,
        'no-forecast',
        'The curve is measured in the stretches that its forecast was measured in, and there are none of this very source yet. Measure it first.',
      )
    const there = await curveOf(tx, sample)
    if (there && there.state !== 'failed' && !(there.state === 'ready' && anew)) return
    // That of another draft stays as it is.
    const curve =
      there?.sample.id === sample.id ? there : tx.create(CurveEntity, { sample: sample.id, state: 'failed', run: 0 })
    tx.assign(curve, {
      state: 'waiting',
      part: null,
      reason: null,
      // The pictures that it has stay where they are until there are others.
      volume: curve.volume?.id ?? job.deliveryVolume.id,
    })
    await tx.flush()
    await queue.send('curve', { curveId: curve.id, ...needing(jobNeed(planOf(sample))) }, tx)
  })
  return readCurve(em.fork(), jobId)
}

/** Lets go of a curve that is still to be measured, or being measured; one that was measured before stays as it was. */
export async function stopCurve(em: EntityManager, jobId: number): Promise<CurveRecord> {
  const job = found(await em.findOne(JobEntity, jobId, whole), 'job', jobId)
  if (job.sample) {
    const underWay = { sample: job.sample.id, state: { $in: ['waiting', 'measuring'] as const } }
    await em.nativeUpdate(CurveEntity, { ...underWay, ...measuredBefore }, { state: 'ready', part: null })
    await em.nativeDelete(CurveEntity, underWay)
  }
  return readCurve(em.fork(), jobId)
}

/** The curve of a draft, as it is known; those of other drafts of its source beside it. */
export async function readCurve(em: EntityManager, jobId: number): Promise<CurveRecord> {
  const job = found(await em.findOne(JobEntity, jobId, whole), 'job', jobId)
  const { spec, scale } = curvedPlan(job)
  const sample = job.sample?.getEntity() as SampleRow | undefined
  const ofSource = (await curvesOf(em, [job.source.id])).get(job.source.id) ?? []
  const row = sample ? curveAmong(sample, ofSource) : null
  const others = await em.find(
    JobEntity,
    { source: job.source.id, state: 'draft', id: { $ne: job.id } },
    { populate: ['sample'] as never, orderBy: { id: 1 } },
  )
  const calibrations = await calibrationsOf(em)
  const beside: CurveRecord['others'] = []
  for (const other of others) {
    const curve = other.sample ? curveAmong(other.sample.getEntity() as SampleRow, ofSource) : null
    if (curve?.state === 'ready' && curve.id !== row?.id)
      beside.push({ jobId: other.id, specName: specTitle(other.spec), points: pointsOf(other, curve, calibrations) })
  }
  const points = pointsOf(job, row, calibrations)
  const pictures = row && picturesOf(row)
  return {
    state: row?.state ?? 'none',
    part: row?.part ?? null,
    reason: row?.reason ?? null,
    codec: describeVideoCodec(spec.video.codec),
    scale,
    value: heldBy(spec),
    capBytes: spec.video.rateControl.kind === 'size cap' ? spec.video.rateControl.bytes : null,
    points,
    kneeValue: kneeOf(points)?.value ?? null,
    lotDrafts: await em.count(JobEntity, draftsLike(job)),
    tookSeconds: row?.measurement?.tookSeconds ?? null,
    pictures: pictures && { key: `${pictures.id}-${pictures.run}`, ...pictures.kept },
    others: beside,
  }
}

/** The pictures that a curve has: of which frame and values, and what names their directory. */
function picturesOf({ id, pictureRun: run, volume, measurement }: CurveRow) {
  return volume && typeof run === 'number' && measurement?.pictures
    ? { id, run, volume, kept: measurement.pictures }
    : null
}

/** Of which values of a draft's curve there are pictures, and where. @throws Problem where there are none */
export async function readCurvePictures(
  em: EntityManager,
  jobId: number,
): Promise<{ id: number; run: number; values: number[]; volume: VolumeRow }> {
  const job = found(await em.findOne(JobEntity, jobId, whole), 'job', jobId)
  const row = job.sample ? await curveOf(em, job.sample.getEntity() as SampleRow) : null
  const pictures = row && picturesOf(row)
  if (!pictures) throw new Problem(404, 'no-pictures', 'No pictures of this curve are kept. Measure it anew.')
  await em.populate(row, ['volume'] as never)
  const { id, run, volume, kept } = pictures
  return { id, run, values: kept.values, volume: volume.getEntity() as VolumeRow }
}

/** Which runs of these curves have pictures that are wanted: those of the measurement that is kept, and of the one under way. */
export async function knownCurves(em: EntityManager, ids: readonly number[]): Promise<Map<number, (number | null)[]>> {
  return new Map(
    (await em.find(CurveEntity, { id: { $in: [...ids] } })).map(row => [
      row.id,
      [row.pictureRun ?? null, row.state === 'measuring' ? row.run : null],
    ]),
  )
}

/**
 * The points of a curve as a draft's result would have them; none without a curve, or the draft's own forecast.
 * @param calibrations as forecasts are made with: a draft at a point of its curve is to have the size that the curve says
 */
export function pointsOf(job: JobRow, curve: CurveRow | null, calibrations: Calibrations): CurvePoint[] {
  const sample = job.sample?.getEntity() as SampleRow | undefined
  const plan = planOf(job)
  if (!curve?.measurement || !sample?.measurement || !hasPicture(plan)) return []
  const kind = kindOfWork({ ...workTraits(job), rate: 'constant quality' }, 'own')
  const shape = calibrationFor(kind, calibrations)?.bytes
  const points = curvePoints(curve.measurement, sample.measurement, sample.extent ?? extentOf(job), heldBy(plan.spec))
  return shape ? points.map(point => ({ ...point, bytes: calibratedRange(point.bytes, shape) })) : points
}

/** The value of its codec's scale that a spec holds; null where it spends bits otherwise. */
function heldBy({ video: { rateControl } }: PictureSpec): number | null {
  return rateControl.kind === 'constant quality' ? rateControl.value : null
}

/** The curve of a sample, as `curveAmong` finds it. */
async function curveOf(em: EntityManager, sample: SampleRow): Promise<CurveRow | null> {
  return curveAmong(sample, (await curvesOf(em, [sample.source.id])).get(sample.source.id) ?? [])
}

/** All curves of some sources, by source, the first measured first. */
export async function curvesOf(em: EntityManager, sourceIds: readonly number[]): Promise<Map<number, CurveRow[]>> {
  const curves = await em.find(
    CurveEntity,
    { sample: { source: { $in: [...sourceIds] } } as never },
    { populate: ['sample'] as never, orderBy: { id: 1 } },
  )
  const bySource = new Map<number, CurveRow[]>()
  for (const curve of curves) {
    const { id } = (curve.sample.getEntity() as SampleRow).source
    bySource.set(id, [...(bySource.get(id) ?? []), curve])
  }
  return bySource
}

/** Of the curves of its source, a sample's own, or one that is measured of the same treatment in the same codec, whose spec only spends bits otherwise. */
export function curveAmong(sample: SampleRow, curves: readonly CurveRow[]): CurveRow | null {
  const wanted = curvedPart(sample)
  return (
    curves.find(curve => curve.sample.id === sample.id) ??
    curves.find(
      curve => curve.state === 'ready' && isDeepStrictEqual(curvedPart(curve.sample.getEntity() as SampleRow), wanted),
    ) ??
    null
  )
}

/** What a curve depends on. */
function curvedPart({ treatment, spec }: SampleRow): object {
  return { treatment, container: spec.container, video: { ...spec.video, rateControl: null, level: null } }
}

/** The drafts of a lot that have the same spec: a quality that is chosen for one may be meant for all of them. */
export function draftsLike(job: JobRow) {
  const lot = (job.source.getEntity() as SourceRow).lot?.getEntity() as LotRow | undefined
  return {
    state: 'draft',
    ...(lot ? { source: { lot: lot.id } } : { id: job.id }),
    spec: { key: job.spec.key },
  } as never
}

/**
 * Gives a draft, or all drafts of its lot that have its spec, a spec of the same codec that holds another quality. That spec is kept in the library, where
 * one like it is taken again.
 * @returns the drafts that took its place, and why some could not
 * @throws Problem when the job is no draft, or its codec has no such value
 */
export async function chooseQuality(
  em: EntityManager,
  queue: TaskQueue,
  jobId: number,
  { value, of }: { value: number; of: 'draft' | 'lot' },
): Promise<{ jobs: JobRecord[]; refused: string[] }> {
  const job = found(await em.findOne(JobEntity, jobId, whole), 'job', jobId)
  mustBeDraft(job)
  const { spec, scale } = curvedPlan(job)
  if (value < scale.best || value > scale.worst)
    throw new Problem(
      409,
      'off-scale',
      `${describeVideoCodec(spec.video.codec)} holds qualities from ${scale.best} (best) to ${scale.worst}.`,
    )
  const drafts = await em.find(JobEntity, of === 'lot' ? draftsLike(job) : { id: job.id }, { orderBy: { id: 1 } })
  const kept = await keepRate(em.fork(), spec, { kind: 'constant quality', value }, `at quality ${value}`)
  return draftWith(em, queue, drafts, kept.spec.key)
}

/** Gives drafts another spec; those that cannot have it stay as they are. @returns the drafts that took their place, and why some could not */
export async function draftWith(
  em: EntityManager,
  queue: TaskQueue,
  drafts: readonly JobRow[],
  specKey: string,
): Promise<{ jobs: JobRecord[]; refused: string[] }> {
  const others = drafts.filter(draft => draft.spec.key !== specKey)
  if (others.length === 0) return { jobs: [], refused: [] }
  const { jobs, refused } = await draftAgain(em, queue, others, specKey)
  const stay = new Set(refused.map(wish => wish.sourceId))
  const replaced = others.filter(draft => !stay.has(draft.source.id)).map(draft => draft.id)
  if (replaced.length > 0) await actOnJobs(em.fork(), replaced, 'remove')
  return { jobs, refused: refused.map(({ reason }) => reason) }
}

/** A curve with what it is of, for a worker about to measure it; null when it is no longer wanted. */
export async function beginCurve(em: EntityManager, curveId: number): Promise<CurveRow | null> {
  const curve = await em.findOne(CurveEntity, curveId, {
    populate: ['sample', 'sample.source', 'sample.source.volume', 'volume'] as never,
  })
  if (!curve || curve.state === 'ready' || curve.state === 'failed') return null
  // Measured on another machine than there is now, the forecast went, and its stretches with it.
  if (!(curve.sample.getEntity() as SampleRow).measurement) {
    em.assign(curve, {
      state: 'failed',
      part: null,
      reason: 'Its forecast is being measured anew. Try again when it is there.',
    })
    await em.flush()
    return null
  }
  em.assign(curve, { state: 'measuring', part: 0, run: curve.run + 1 })
  await em.flush()
  return curve
}

/** Keeps how far a curve is. @returns false when it is no longer wanted */
export async function keepCurvePart(em: EntityManager, { id, run }: Pick<CurveRow, 'id' | 'run'>, part: number) {
  return (await em.nativeUpdate(CurveEntity, { id, run, state: 'measuring' }, { part })) > 0
}

/** Where a curve has a measurement from before. */
const measuredBefore = { measurement: { $ne: null } }

/** Keeps a curve, unless it was begun again or let go of meanwhile. */
export async function keepCurve(
  em: EntityManager,
  { id, run }: Pick<CurveRow, 'id' | 'run'>,
  measurement: CurveMeasurement,
): Promise<void> {
  await em.nativeUpdate(
    CurveEntity,
    { id, run, state: 'measuring' },
    { state: 'ready', part: null, reason: null, measurement, pictureRun: measurement.pictures ? run : null },
  )
}

/** Keeps why a curve could not be measured; see `keepCurve`. One that was measured before stays as it was. */
export async function keepCurveFailure(
  em: EntityManager,
  { id, run }: Pick<CurveRow, 'id' | 'run'>,
  reason: string,
): Promise<void> {
  const underWay = { id, run, state: 'measuring' as const }
  await em.nativeUpdate(CurveEntity, { ...underWay, ...measuredBefore }, { state: 'ready', part: null, reason })
  await em.nativeUpdate(CurveEntity, underWay, { state: 'failed', part: null, reason })
}
