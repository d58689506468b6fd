import type { EntityManager } from '@mikro-orm/postgresql'
import {
  calibrated,
  calibrationFor,
  chooseStandIns,
  describeVideoCodec,
  kindOfWork,
  lotLevels,
  pictureCodec,
  standIns,
  unitsOf,
  type Calibrations,
  type JobOutline,
  type JobRecord,
  type LotCurveRecord,
  type LotItem,
} from '@hematine/core'
import {
  askForCurve,
  curveAmong,
  curvedPlan,
  curvesOf,
  draftsLike,
  draftWith,
  mustBeDraft,
  pointsOf,
} from './curves.ts'
import { JobEntity, type CurveRow, type JobRow, type SampleRow } from './entities.ts'
import { calibrationsOf } from './outcomes.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { keepRate } from './specs.ts'

/** A draft of a lot beside the others that have its spec; of those that have a curve, the row. */
interface LotDraft {
  outline: JobOutline
  curve: CurveRow | null
  row: JobRow | null
}

/** Drafts with their curves: only of the few that have one more than their outline is read. */
async function withCurves(em: EntityManager, outlines: readonly JobOutline[]): Promise<LotDraft[]> {
  const curves = await curvesOf(
    em,
    outlines.map(({ sourceId }) => sourceId),
  )
  const ids = outlines.filter(({ sourceId }) => curves.has(sourceId)).map(({ id }) => id)
  const rows = new Map(
    (await em.find(JobEntity, { id: { $in: ids } }, { populate: ['sample'] as never })).map(row => [row.id, row]),
  )
  return outlines.map(outline => {
    const row = rows.get(outline.id) ?? null
    const sample = row?.sample?.getEntity() as SampleRow | undefined
    return { outline, row, curve: sample ? curveAmong(sample, curves.get(outline.sourceId) ?? []) : null }
  })
}

const isUnderWay = ({ curve }: LotDraft) => curve?.state === 'waiting' || curve?.state === 'measuring'
/** Whether its curve could be measured and is not. */
const isOpen = (draft: LotDraft) =>
  draft.outline.sampleState === 'ready' && draft.curve?.state !== 'ready' && !isUnderWay(draft)

/** What a draft weighs at one likeness, where its own stretches were measured. */
function knownAt({ measured, traits }: JobOutline, calibrations: Calibrations): LotItem['forecast'] {
  if (!measured?.quality?.xpsnr) return null
  const { bytes } = calibrated(measured, calibrationFor(kindOfWork(traits, 'own'), calibrations))
  return { xpsnr: measured.quality.xpsnr, bytes }
}

/**
 * What the drafts of a draft's lot that have its spec come to together, when all are equally like their treated sources.
 * @param outlines of those drafts
 */
export async function readLotCurve(
  em: EntityManager,
  jobId: number,
  outlines: readonly JobOutline[],
): Promise<LotCurveRecord> {
  const { spec } = curvedPlan(found(await em.findOne(JobEntity, jobId), 'job', jobId))
  const { rateControl } = spec.video
  const drafts = await withCurves(em, outlines)
  const calibrations = await calibrationsOf(em)
  const items = drafts.map(({ outline, row, curve }) => ({
    name: outline.sourceName,
    units: unitsOf(outline.extent),
    points: row && curve?.state === 'ready' ? pointsOf(row, curve, calibrations) : [],
    forecast: knownAt(outline, calibrations),
  }))
  return {
    codec: describeVideoCodec(spec.video.codec),
    drafts: drafts.length,
    measured: items.filter(item => item.points.length > 0).length,
    underWay: drafts.filter(isUnderWay).length,
    open: drafts.filter(isOpen).length,
    xpsnr: rateControl.kind === 'quality target' ? rateControl.xpsnr : null,
    levels: lotLevels(items),
  }
}

/**
 * Has curves measured that stand for a draft's lot: of items of different lengths, a few more each time it is asked.
 * @param outlines of its drafts that have the draft's spec
 * @throws Problem when there is none whose curve could be measured
 */
export async function askForLotCurves(
  em: EntityManager,
  queue: TaskQueue,
  jobId: number,
  outlines: readonly JobOutline[],
): Promise<LotCurveRecord> {
  const open = (await withCurves(em, outlines)).filter(isOpen)
  if (open.length === 0)
    throw new Problem(
      409,
      'no-forecast',
      'Curves are measured in the stretches that forecasts were measured in, and no more of this lot have any. Measure drafts of it first.',
    )
  for (const place of chooseStandIns(
    open.map(({ outline }) => unitsOf(outline.extent)),
    standIns,
  ))
    await askForCurve(em.fork(), queue, open[place]!.outline.id)
  return readLotCurve(em.fork(), jobId, outlines)
}

/**
 * Gives the drafts of a draft's lot that have its spec one that aims at the same likeness for all of them; it is kept in the library, where one like it is taken
 * again.
 * @param xpsnr in dB
 * @throws Problem when the job is no draft, or its codec cannot aim at a likeness
 */
export async function chooseLotQuality(
  em: EntityManager,
  queue: TaskQueue,
  jobId: number,
  { xpsnr }: { xpsnr: number },
): Promise<{ jobs: JobRecord[]; refused: string[] }> {
  const job = found(await em.findOne(JobEntity, jobId, { populate: ['source', 'source.lot'] as never }), 'job', jobId)
  mustBeDraft(job)
  const { spec } = curvedPlan(job)
  if (!pictureCodec(spec.video.codec).rates.includes('quality target'))
    throw new Problem(
      409,
      'no-target',
      `${describeVideoCodec(spec.video.codec)} cannot aim at a measured quality. Choose a spec in H.264, HEVC, AV1 or VP9.`,
    )
  // A quality that is aimed at is that of a picture that is encoded.
  const { copied: _copied, ...video } = spec.video
  const kept = await keepRate(em.fork(), { ...spec, video }, { kind: 'quality target', xpsnr }, `at ${xpsnr} dB`)
  return draftWith(em, queue, await em.find(JobEntity, draftsLike(job), { orderBy: { id: 1 } }), kept.spec.key)
}
