import { z } from 'zod'

/** How times of a result come from times of its source: ranges that are kept, then a speed. */
export const Timeline = z.object({
  /** Kept ranges of the source in seconds, in order; null for all of it. */
  ranges: z.array(z.object({ from: z.number().min(0), to: z.number().positive() })).nullable(),
  /** 0.5 takes twice as long. */
  speed: z.number().positive(),
})
export type Timeline = z.infer<typeof Timeline>

/** A source's own time. */
export const plainTimeline: Timeline = { ranges: null, speed: 1 }

/** Seconds of a result from a source of so many. */
export function resultSeconds({ ranges, speed }: Timeline, sourceSeconds: number): number {
  const kept = ranges
    ? ranges.reduce(
        (sum, { from, to }) => sum + Math.max(0, Math.min(to, sourceSeconds) - Math.min(from, sourceSeconds)),
        0,
      )
    : sourceSeconds
  return kept / speed
}

/** Time in the source of a time in the result; beyond the last range its end. */
export function sourceTimeAt({ ranges, speed }: Timeline, seconds: number): number {
  const kept = seconds * speed
  if (!ranges) return kept
  let before = 0
  for (const { from, to } of ranges) {
    if (kept < before + to - from) return from + Math.max(0, kept - before)
    before += to - from
  }
  return ranges.at(-1)!.to
}

/** When something that a source shows for a while is seen in the result: once for each kept range that it lies in. Of no length, it counts as a moment. */
export function shownSpans({ ranges, speed }: Timeline, from: number, to: number): { from: number; to: number }[] {
  const spans: { from: number; to: number }[] = []
  let before = 0
  for (const range of ranges ?? [{ from: 0, to: Number.POSITIVE_INFINITY }]) {
    const begin = Math.max(from, range.from)
    const end = Math.min(to, range.to)
    const isThere = from === to ? from >= range.from && from < range.to : begin < end
    if (isThere) spans.push({ from: (before + begin - range.from) / speed, to: (before + end - range.from) / speed })
    before += range.to - range.from
  }
  return spans
}

/** Whether all that a source has between two times is in the result. */
export function keepsAll({ ranges }: Pick<Timeline, 'ranges'>, from: number, to: number): boolean {
  return ranges === null || ranges.some(range => from >= range.from && to <= range.to)
}

/** Time in the result of a time in the source, or null where the source is trimmed off. */
export function resultTimeAt({ ranges, speed }: Timeline, seconds: number): number | null {
  if (!ranges) return seconds / speed
  let before = 0
  for (const { from, to } of ranges) {
    if (seconds >= from && seconds < to) return (before + seconds - from) / speed
    before += to - from
  }
  return null
}
