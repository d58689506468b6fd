import { z } from 'zod'
import { Range, RangeSum } from '../range.ts'
import type { OutlookGround, SupposedPlan } from './supposed-plan.ts'

/** How a delivery volume fills: what is still to be written to it, summed up as jobs end. */
export const VolumeFilling = z.object({
  volumeId: z.int(),
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

/** Steps that are told of a volume at most. */
const mostSteps = 120

/** How a volume fills; null where nothing is written to it. */
export function fillingOf(
  { id, freeBytes }: OutlookGround['volumes'][number],
  { entries, places }: Pick<SupposedPlan, 'entries' | 'places'>,
): VolumeFilling | null {
  const written = entries.filter(({ output }) => output?.volumeId === id)
  if (written.length === 0) return null
  const whole = new RangeSum()
  for (const { output } of written) if (output?.bytes) whole.add(output.bytes, output.shared)
  const sum = new RangeSum()
  const ending = written
    .flatMap(({ id: jobId, output }) => {
      const end = places.get(jobId)?.end.expected
      return end !== undefined && output?.bytes ? [{ end, bytes: output.bytes, shared: output.shared }] : []
    })
    .sort((a, b) => a.end - b.end)
  const steps = ending.map(({ end, bytes, shared }) => {
    sum.add(bytes, shared)
    return { seconds: end, bytes: sum.range() }
  })
  const fullAt = (bound: 'expected' | 'high') =>
    freeBytes === null ? null : (steps.find(({ bytes }) => bytes[bound] > freeBytes)?.seconds ?? null)
  const every = Math.ceil(steps.length / mostSteps)
  return {
    volumeId: id,
    freeBytes,
    unknown: written.filter(({ output }) => !output?.bytes).length,
    bytes: whole.range(),
    fullSeconds: fullAt('expected'),
    fullEarlySeconds: fullAt('high'),
    steps: steps.filter((_, index) => index % every === 0 || index === steps.length - 1),
  }
}
