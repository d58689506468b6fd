import type { EntityManager } from '@mikro-orm/postgresql'
import {
  chooseStandIns,
  describeVideoCodec,
  extentOf,
  forecastJob,
  lotLevels,
  pictureCodec,
  standIns,
  unitsOf,
  type JobRecord,
  type LotCurveRecord,
  type LotItem,
} from '@hematine/core'
import { sourceName } from './as-records.ts'
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
import { JobEntity, type CurveRow, type JobRow, type SampleRow, type SourceRow } from './entities.ts'
import { found, Problem } from './problem.ts'
import type { TaskQueue } from './queue.ts'
import { keepRate } from './specs.ts'

/** A draft of a lot beside the others that have its spec. */
interface LotDraft {
  job: JobRow
  sample: SampleRow | undefined
  units: number
  curve: CurveRow | null
}

/** A draft, and those of its lot that have its spec, itself included, with their curves. @throws Problem when it can have no curve */
async function lotOf(em: EntityManager, jobId: number): Promise<{ job: JobRow; drafts: LotDraft[] }> {
  const job = found(await em.findOne(JobEntity, jobId, { populate: ['source', 'source.lot'] as never }), 'job', jobId)
  curvedPlan(job)
  const rows = await em.find(JobEntity, draftsLike(job), {
    populate: ['sample', 'source'] as never,
    orderBy: { id: 1 },
  })
  const curves = await curvesOf(
    em,
    rows.map(row => row.source.id),
  )
  return {
    job,
    drafts: rows.map(row => {
      const sample = row.sample?.getEntity() as SampleRow | undefined
      return {
        job: row,
        sample,
        units: unitsOf(sample?.extent ?? extentOf(row)),
        curve: sample ? curveAmong(sample, curves.get(row.source.id) ?? []) : null,
      }
    }),
  }
}

const isMeasured = ({ curve }: LotDraft) => curve?.state === 'ready'
const isUnderWay = ({ curve }: LotDraft) => curve?.state === 'waiting' || curve?.state === 'measuring'
/** Whether its curve could be measured and is not. */
const isOpen = (draft: LotDraft) => draft.sample?.state === 'ready' && !isMeasured(draft) && !isUnderWay(draft)

/** What a draft weighs at one likeness, where its own stretches were measured. */
function forecastOf(job: JobRow, sample: SampleRow | undefined): LotItem['forecast'] {
  if (sample?.state !== 'ready' || !sample.measurement) return null
  const { bytes, quality } = forecastJob(sample.measurement, sample.extent ?? extentOf(job))
  return quality?.xpsnr ? { xpsnr: quality.xpsnr, bytes } : null
}

/** What the drafts of a draft's lot that have its spec come to together, when all are equally like their treated sources. */
export async function readLotCurve(em: EntityManager, jobId: number): Promise<LotCurveRecord> {
  const { job, drafts } = await lotOf(em, jobId)
  const { spec } = curvedPlan(job)
  const { rateControl } = spec.video
  const items = drafts.map(({ job: row, sample, units, curve }): LotItem => ({
    name: sourceName(row.source.getEntity() as SourceRow),
    units,
    points: curve?.state === 'ready' ? pointsOf(row, curve) : [],
    forecast: forecastOf(row, sample),
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
 * @throws Problem when there is none whose curve could be measured
 */
export async function askForLotCurves(em: EntityManager, queue: TaskQueue, jobId: number): Promise<LotCurveRecord> {
  const { drafts } = await lotOf(em, jobId)
  const open = drafts.filter(isOpen)
  if (open.length === 0)
    throw new Problem(
      409,
      'no-forecast',
      'Curves are measured in the stretches that forecasts were measured in, and no more of this lot have any. Measure drafts of it first.',
    )
  for (const place of chooseStandIns(
    open.map(draft => draft.units),
    standIns,
  ))
    await askForCurve(em.fork(), queue, open[place]!.job.id)
  return readLotCurve(em.fork(), jobId)
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
  const { job, drafts } = await lotOf(em, jobId)
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
  return draftWith(
    em,
    queue,
    drafts.map(draft => draft.job),
    kept.spec.key,
  )
}
