import { z } from 'zod'
import { Range, RangeSum, type SharedError } from '../range.ts'
import { each, type Turns } from '../turns.ts'
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
export function* fillingOf(
  { id, freeBytes }: OutlookGround['volumes'][number],
  { entries, ends: { places } }: Pick<SupposedPlan, 'entries' | 'ends'>,
): Turns<VolumeFilling | null> {
  const whole = new RangeSum()
  const ending: { end: number; bytes: Range; shared: SharedError | null }[] = []
  let [written, unknown] = [0, 0]
  yield* each(entries, ({ id: jobId, output }) => {
    if (output?.volumeId !== id) return
    written++
    const { bytes, shared } = output
    if (!bytes) {
      unknown++
      return
    }
    whole.add(bytes, shared)
    const end = places.get(jobId)?.end.expected
    if (end !== undefined) ending.push({ end, bytes, shared })
  })
  if (written === 0) return null
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
    volumeId: id,
    freeBytes,
    unknown,
    bytes: whole.range(),
    fullSeconds: fullAt('expected'),
    fullEarlySeconds: fullAt('high'),
    steps: steps.filter((_, index) => index % every === 0 || index === steps.length - 1),
  }
}
