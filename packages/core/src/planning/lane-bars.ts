import { z } from 'zod'
import { each, type Turns } from '../turns.ts'
import type { PlannedJob } from './lanes.ts'
import type { JobOutline } from './outline.ts'

/** A stretch of a lane that is taken, in seconds from when the agenda was made: one job, or many short ones that follow each other. */
export const LaneBar = z.object({
  lane: z.int().min(0),
  /** Null where short jobs of several orders are drawn as one. */
  orderId: z.int().nullable(),
  from: z.number(),
  to: z.number(),
  /** As late as its end may come. */
  late: z.number(),
  isDraft: z.boolean(),
  jobs: z.int().positive(),
  /** Name of its source, or of the first of them. */
  name: z.string(),
  specName: z.string(),
})
export type LaneBar = z.infer<typeof LaneBar>

/** Bars that are drawn for a lane at most; shorter jobs than fit are drawn as one. */
const barsOfLane = 240

export type JobToDraw = Pick<JobOutline, 'id' | 'orderId' | 'state' | 'sourceName' | 'specName'>

/** What is drawn of the lanes: jobs too short to be seen are joined to those beside them, and to those of another order only where none of them could be seen. */
export function* barsOf(places: ReadonlyMap<number, PlannedJob>, planned: readonly JobToDraw[]): Turns<LaneBar[]> {
  const last = new Map<number, LaneBar>()
  const bars: LaneBar[] = []
  const span = planned.reduce((most, job) => Math.max(most, places.get(job.id)?.end.high ?? 0), 1)
  const shortest = span / barsOfLane
  // What is not here yet is begun after what follows it.
  const stretches = planned
    .flatMap(job => (places.get(job.id)?.stretches ?? []).map(stretch => ({ job, stretch })))
    .sort((a, b) => a.stretch.start.expected - b.stretch.start.expected)
  yield* each(stretches, ({ job, stretch: { lane, start, end } }) => {
    const [from, to, late] = [start.expected, end.expected, end.high]
    const isDraft = job.state === 'draft'
    const before = last.get(lane)
    const isShort = to - from < shortest
    const wasShort = before !== undefined && before.to - before.from < shortest
    const isLike = before?.orderId === job.orderId ? isShort || wasShort : isShort && wasShort
    if (before && before.isDraft === isDraft && isLike && from - before.to < shortest) {
      const orderId = before.orderId === job.orderId ? job.orderId : null
      Object.assign(before, { to, late, orderId, jobs: before.jobs + 1 })
      return
    }
    const { orderId, sourceName, specName } = job
    const bar = { lane, orderId, from, to, late, isDraft, jobs: 1, name: sourceName, specName }
    last.set(lane, bar)
    bars.push(bar)
  })
  return bars
}
