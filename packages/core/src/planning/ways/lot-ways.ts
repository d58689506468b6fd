import { z } from 'zod'
import type { JobForecast } from '../../forecast/forecast.ts'
import { sharedTimePart } from '../../forecast/forecast.ts'
import { describeCount } from '../../format.ts'
import { togetherXpsnr } from '../../quality-target.ts'
import { Range, RangeSum } from '../../range.ts'
import { sharedSize, sharedTime, type JobOutline } from '../outline.ts'

/**
 * A picture of fewer pixels than so large a part of another way's was made smaller. Pixels that are made square, or kept as they are, differ by less: by a factor of
 * 1.46 at most in the usual standard definitions (BT.601 in 16:9).
 */
const smallerPart = 0.6

/** A way in which a lot can be done: one spec for all of it, as it is drafted. */
export const Way = z.object({
  specKey: z.string(),
  specName: z.string(),
  jobs: z.int().min(0),
  /** Device time and bytes of what is known. */
  seconds: Range,
  bytes: Range,
  /** Processor time, as far as it is known how many cores it keeps busy. */
  processorSeconds: z.number().min(0),
  /** XPSNR of the result against its treated picture, in dB, over what was measured itself; null where that is identical, or nothing was. */
  likeness: z.number().nullable(),
  likenessKnown: z.int().min(0),
  /** Why it cannot be chosen; null where it can. */
  because: z.string().nullable(),
})
export type Way = z.infer<typeof Way>

/** A lot, and the ways in which it can be done. */
export interface LotWays {
  lotId: number | null
  /** Sources of which there are drafts with one of the specs. */
  sources: number
  /** Length of what comes out, in seconds. */
  material: number
  ways: Way[]
  /** Drafts of each way. */
  drafts: JobOutline[][]
}

/**
 * An error as small as that of rounding to whole codes of 8 bits, of a twelfth of a code squared: 10 log10(255² x 12) = 58.9 dB. Likenesses above it do not count
 * as more.
 */
export const plentyXpsnr = 10 * Math.log10(255 ** 2 * 12)

/**
 * The ways of an order's lots, in the order of their first drafts.
 * @param drafts of the order
 * @param specKeys specs of which a lot is to have one
 */
export function lotWays(
  drafts: readonly JobOutline[],
  specKeys: readonly string[],
  forecastFor: (job: JobOutline) => JobForecast | null,
): LotWays[] {
  const byLot = new Map<number | null, JobOutline[]>()
  for (const job of drafts) {
    if (!specKeys.includes(job.specKey)) continue
    const there = byLot.get(job.lotId)
    if (there) there.push(job)
    else byLot.set(job.lotId, [job])
  }
  return [...byLot].map(([lotId, jobs]) => {
    const sources = new Set(jobs.map(({ sourceId }) => sourceId))
    const ofSpecs = specKeys.map(key => jobs.filter(({ specKey }) => specKey === key)).filter(some => some.length > 0)
    const largest = new Map<number, number>()
    for (const { sourceId, extent } of jobs) largest.set(sourceId, Math.max(largest.get(sourceId) ?? 0, extent.pixels))
    const lengths = new Map(jobs.map(({ sourceId, extent }) => [sourceId, extent.durationSeconds]))
    return {
      lotId,
      sources: sources.size,
      material: [...lengths.values()].reduce((sum, seconds) => sum + seconds, 0),
      ways: ofSpecs.map(some => wayOf(some, sources.size, largest, forecastFor)),
      drafts: ofSpecs,
    }
  })
}

function wayOf(
  jobs: readonly JobOutline[],
  sources: number,
  largest: ReadonlyMap<number, number>,
  forecastFor: (job: JobOutline) => JobForecast | null,
): Way {
  const [seconds, bytes] = [new RangeSum(sharedTimePart), new RangeSum()]
  let [unknown, processorSeconds] = [0, 0]
  const measured: { frames: number; xpsnr: number }[] = []
  for (const job of jobs) {
    const forecast = forecastFor(job)
    if (!forecast) {
      unknown++
      continue
    }
    seconds.add(forecast.seconds, sharedTime(forecast))
    bytes.add(forecast.bytes, sharedSize(forecast))
    processorSeconds += forecast.seconds.expected * (forecast.busyCores ?? 0)
    const { quality } = forecast
    if (quality)
      measured.push({ frames: Math.max(1, job.extent.frames), xpsnr: quality.xpsnr ?? Number.POSITIVE_INFINITY })
  }
  const without = sources - new Set(jobs.map(({ sourceId }) => sourceId)).size
  const isSmaller = jobs.some(({ sourceId, extent }) => extent.pixels < smallerPart * largest.get(sourceId)!)
  const together = measured.length > 0 ? togetherXpsnr(measured) : null
  const count = (number: number) => describeCount(number)
  return {
    specKey: jobs[0]!.specKey,
    specName: jobs[0]!.specName,
    jobs: jobs.length,
    seconds: seconds.range(),
    bytes: bytes.range(),
    processorSeconds,
    likeness: together !== null && Number.isFinite(together) ? together : null,
    likenessKnown: measured.length,
    because:
      without > 0
        ? `${count(without)} of ${count(sources)} ${sources === 1 ? 'source has' : 'sources have'} no draft with it`
        : unknown > 0
          ? `${count(unknown)} of ${count(jobs.length)} ${jobs.length === 1 ? 'draft is' : 'drafts are'} not measured yet`
          : measured.length === 0
            ? 'how like it will be was not measured'
            : isSmaller
              ? 'its picture has fewer pixels than that of another way: likenesses cannot be compared'
              : null,
  }
}

/** What a way's likeness counts for, in dB. */
export function countedXpsnr({ likeness }: Pick<Way, 'likeness'>): number {
  return Math.min(plentyXpsnr, likeness ?? plentyXpsnr)
}
