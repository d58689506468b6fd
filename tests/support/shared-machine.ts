/** A job on a machine that several lanes share. */
export interface SharedJob {
  id: number
  /** What it takes alone. */
  seconds: number
  /** Cores that it keeps busy then. */
  busyCores: number
  /** Equal parts that lanes take one by one. */
  parts: number
}

/** The moment when so much work is over, if it begins at a moment and nothing is done in the rests, which follow each other. */
function later(moment: number, work: number, rests: readonly { from: number; to: number }[]): number {
  let [now, left] = [moment, work]
  for (const { from, to } of rests) {
    if (to <= now) continue
    if (now + left <= from) break
    left -= Math.max(0, from - now)
    now = to
  }
  return now + left
}

/**
 * Goes through jobs by the clock: each lane takes the next part, and whenever the parts under way want more cores together than there are, all of them go
 * slower by that. It keeps what is left of each part, and knows nothing of clocks of undisturbed work.
 * @param rests when nothing is done, one after the other
 * @returns when each job begins and ends
 */
export function throughTheDay(
  jobs: readonly SharedJob[],
  lanes: number,
  cores: number,
  rests: readonly { from: number; to: number }[] = [],
): Map<number, { start: number; end: number }> {
  const waiting = jobs.flatMap(job => Array.from({ length: job.parts }, () => ({ job, left: job.seconds / job.parts })))
  const times = new Map<number, { start: number; end: number }>()
  let atWork: typeof waiting = []
  let now = 0
  while (waiting.length > 0 || atWork.length > 0) {
    while (atWork.length < lanes && waiting.length > 0) {
      const part = waiting.shift()!
      atWork.push(part)
      if (!times.has(part.job.id)) times.set(part.job.id, { start: now, end: now })
    }
    const wanted = atWork.reduce((sum, { job }) => sum + job.busyCores, 0)
    const speed = Math.min(1, cores / wanted)
    const least = Math.min(...atWork.map(({ left }) => left))
    now = later(now, least / speed, rests)
    for (const part of atWork) {
      part.left -= least
      if (part.left <= 1e-9) times.get(part.job.id)!.end = now
    }
    atWork = atWork.filter(({ left }) => left > 1e-9)
  }
  return times
}
