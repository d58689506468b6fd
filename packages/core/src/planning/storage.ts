import { z } from 'zod'
import type { JobForecast } from '../forecast/forecast.ts'
import { Range, RangeSum } from '../range.ts'
import type { Disk } from './disks.ts'
import { sharedSize, type JobOutline } from './outline.ts'

/** What planned jobs still write to a disk with delivery volumes, in bytes. */
export const VolumeNeed = z.object({
  /** Those of its volumes that they write to, in the order of their first jobs. */
  volumeIds: z.array(z.int()),
  /** Of how many jobs nothing is known yet. */
  unknown: z.int().min(0),
  /** Of all orders' released jobs, and the order's drafts. */
  bytes: Range,
  /** Of these, what is of other orders. */
  ofOthers: Range,
})
export type VolumeNeed = z.infer<typeof VolumeNeed>

/** What a job still writes: what it has written lies on the volume already, and so does all of a result that is being placed. */
export function bytesLeft({ state, progress }: Pick<JobOutline, 'state' | 'progress'>, { bytes }: JobForecast): Range {
  const written = state === 'placing' ? Number.POSITIVE_INFINITY : (progress?.bytesWritten ?? 0)
  const left = (value: number) => Math.max(0, value - written)
  return { expected: left(bytes.expected), low: left(bytes.low), high: left(bytes.high) }
}

/**
 * Adds up what is still to be written, disk by disk, in the order of their first jobs.
 * @param jobs that are planned, of all orders
 * @param disks with the volumes that share one; others have their room to themselves
 */
export function volumeNeeds(
  orderId: number,
  jobs: readonly JobOutline[],
  forecasts: ReadonlyMap<number, JobForecast>,
  disks: readonly Disk[] = [],
): VolumeNeed[] {
  const diskOf = new Map(disks.flatMap(disk => disk.volumeIds.map(id => [id, disk] as const)))
  const needs = new Map<Disk | number, { volumeIds: Set<number>; unknown: number; all: RangeSum; others: RangeSum }>()
  for (const job of jobs) {
    if (job.state === 'placing') continue
    const volumeId = job.deliveryVolumeId
    const key = diskOf.get(volumeId) ?? volumeId
    const need = needs.get(key) ?? { volumeIds: new Set(), unknown: 0, all: new RangeSum(), others: new RangeSum() }
    needs.set(key, need)
    need.volumeIds.add(volumeId)
    const forecast = forecasts.get(job.id)
    if (!forecast) {
      need.unknown++
      continue
    }
    const bytes = bytesLeft(job, forecast)
    need.all.add(bytes, sharedSize(forecast))
    if (job.orderId !== orderId) need.others.add(bytes, sharedSize(forecast))
  }
  return [...needs.values()].map(({ volumeIds, unknown, all, others }) => ({
    volumeIds: [...volumeIds],
    unknown,
    bytes: all.range(),
    ofOthers: others.range(),
  }))
}
