import type { OpenTime } from '../hours/open-time.ts'
import type { Range } from '../range.ts'
import type { PlannedJob } from './lanes.ts'

/** A job's place in open seconds, by the clock: it rests where nothing is worked on. */
export function byClock(place: PlannedJob, time: OpenTime): PlannedJob {
  if (time.isAlways) return place
  const told = ({ start, end }: { start: Range; end: Range }) => ({
    start: time.beginsOf(start),
    end: time.endsOf(end),
  })
  return { ...place, ...told(place), stretches: place.stretches.map(stretch => ({ ...stretch, ...told(stretch) })) }
}
