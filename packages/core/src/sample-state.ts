import { z } from 'zod'

/**
 * How far the measurement behind a forecast is. *later*: others of its group stand for it, and it is measured when the machine has nothing
 * else to do.
 */
export const SampleState = z.enum(['later', 'waiting', 'measuring', 'ready', 'failed'])
export type SampleState = z.infer<typeof SampleState>

/** Of a curve of rate and quality that was asked for. */
export const CurveState = z.enum(['waiting', 'measuring', 'ready', 'failed'])
export type CurveState = z.infer<typeof CurveState>
