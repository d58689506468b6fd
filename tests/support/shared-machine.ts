/** A job on a machine that several lanes share. */
export interface SharedJob {
  id: number
  /** What it takes alone. */
  seconds: number
  /** Cores that it keeps busy then. */
  busyCores: number
  /** Equal parts that lanes take one by one. */
  parts: number
  /** When it is here, by the clock; at once unless said. */
  hereFrom?: number | undefined
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

/** Time between two moments that is in no rest. */
function openBetween(from: number, to: number, rests: readonly { from: number; to: number }[]): number {
  return rests.reduce((left, rest) => left - Math.max(0, Math.min(to, rest.to) - Math.max(from, rest.from)), to - from)
}

/**
 * Goes through jobs by the clock: each lane takes the next part that is here, of a job that is begun before all others, and whenever the parts under way want more cores together than there are, all of them go
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
  const take = () => {
    const begun = waiting.findIndex(({ job }) => times.has(job.id))
    const next = begun >= 0 ? begun : waiting.findIndex(({ job: { hereFrom = 0 } }) => hereFrom <= now)
    return next < 0 ? null : waiting.splice(next, 1)[0]!
  }
  while (waiting.length > 0 || atWork.length > 0) {
    // Nothing is begun in a rest, also of what came in it.
    now = rests.find(({ from, to }) => from <= now && now < to)?.to ?? now
    while (atWork.length < lanes) {
      const part = take()
      if (!part) break
      atWork.push(part)
      if (!times.has(part.job.id)) times.set(part.job.id, { start: now, end: now })
    }
    const comes = Math.min(...waiting.map(({ job: { hereFrom = 0 } }) => hereFrom).filter(moment => moment > now))
    const wanted = atWork.reduce((sum, { job }) => sum + job.busyCores, 0)
    const speed = Math.min(1, cores / wanted)
    const least = Math.min(...atWork.map(({ left }) => left))
    const ended = later(now, least / speed, rests)
    const isFirst = atWork.length > 0 && ended <= comes
    const done = isFirst ? least : openBetween(now, comes, rests) * speed
    now = isFirst ? ended : comes
    for (const part of atWork) {
      part.left -= done
      if (part.left <= 1e-9) times.get(part.job.id)!.end = now
    }
    atWork = atWork.filter(({ left }) => left > 1e-9)
  }
  return times
}
