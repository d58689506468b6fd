import { z } from 'zod'
import { Range, RangeSum, type SharedError } from '../range.ts'
import { each, type Turns } from '../turns.ts'
import type { Disk } from './disks.ts'
import type { SupposedPlan } from './supposed-plan.ts'

/** How a disk with delivery volumes fills: what is still to be written to it, summed up as jobs end. */
export const VolumeFilling = z.object({
  /** Those of its volumes that are written to. */
  volumeIds: z.array(z.int()),
  /** Null where nobody knows. */
  freeBytes: z.number().min(0).nullable(),
  unknown: z.int().min(0),
  /** Of all that is known. */
  bytes: Range,
  /** When it is full: as is expected, and as early as may be; null where it is not. */
  fullSeconds: z.number().min(0).nullable(),
  fullEarlySeconds: z.number().min(0).nullable(),
  /** Some hundred at most. */
  steps: z.array(z.object({ seconds: z.number().min(0), bytes: Range })),
})
export type VolumeFilling = z.infer<typeof VolumeFilling>

/** Steps that are told of a disk at most. */
const mostSteps = 120

/** How a disk fills; null where nothing is written to it. */
export function* fillingOf(
  { volumeIds, freeBytes }: Disk,
  { entries, ends: { places } }: Pick<SupposedPlan, 'entries' | 'ends'>,
): Turns<VolumeFilling | null> {
  const whole = new RangeSum()
  const ending: { end: number; bytes: Range; shared: SharedError | null }[] = []
  const written = new Set<number>()
  let unknown = 0
  yield* each(entries, ({ id: jobId, output }) => {
    if (!output || !volumeIds.includes(output.volumeId)) return
    written.add(output.volumeId)
    const { bytes, shared } = output
    if (!bytes) {
      unknown++
      return
    }
    whole.add(bytes, shared)
    const end = places.get(jobId)?.end.expected
    if (end !== undefined) ending.push({ end, bytes, shared })
  })
  if (written.size === 0) return null
  ending.sort((a, b) => a.end - b.end)
  yield
  const sum = new RangeSum()
  const steps: VolumeFilling['steps'] = []
  yield* each(ending, ({ end, bytes, shared }) => {
    sum.add(bytes, shared)
    steps.push({ seconds: end, bytes: sum.range() })
  })
  const fullAt = (bound: 'expected' | 'high') =>
    freeBytes === null ? null : (steps.find(({ bytes }) => bytes[bound] > freeBytes)?.seconds ?? null)
  const every = Math.ceil(steps.length / mostSteps)
  return {
    volumeIds: volumeIds.filter(id => written.has(id)),
    freeBytes,
    unknown,
    bytes: whole.range(),
    fullSeconds: fullAt('expected'),
    fullEarlySeconds: fullAt('high'),
    steps: steps.filter((_, index) => index % every === 0 || index === steps.length - 1),
  }
}
