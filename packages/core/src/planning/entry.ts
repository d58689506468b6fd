import type { Range, SharedError } from '../range.ts'
import type { JobToDraw } from './lane-bars.ts'
import type { LaneWork } from './lanes.ts'

/** A job of the outlook, real or supposed. */
export interface Entry extends JobToDraw {
  work: LaneWork | null
  /** When what it is made of is expected, ISO 8601; null where it is here or nobody said. */
  expectedAt: string | null
  output: { volumeId: number; bytes: Range | null; shared: SharedError | null } | null
}
