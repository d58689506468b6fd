import { containerFacts } from './spec/container.ts'
import type { DeliverySpec } from './spec/schema.ts'
import type { Chapter, SourceFacts } from './facts.ts'
import { soundLead } from './treatment/apply.ts'
import { plainTimeline, type Timeline } from './treatment/timeline.ts'

/** Chapters nearer to the end, or to one another, than this are none: no player can show them apart. */
const leastSeconds = 0.001

/** The chapters of a source, by its file or its disc's tables. */
export function chaptersOf({ chapters, disc }: Pick<SourceFacts, 'chapters' | 'disc'>): Chapter[] {
  return chapters ?? disc?.chapters.map(from => ({ from, title: null })) ?? []
}

/** The chapters of a result: those of its source that are at least in part in what is kept of it, each where that begins. */
export function plannedChapters(
  facts: Pick<SourceFacts, 'chapters' | 'disc' | 'video' | 'audio'>,
  spec: DeliverySpec,
  timeline: Timeline | undefined,
): Chapter[] {
  if (!spec.keepsChapters || !containerFacts(spec.container).chapters) return []
  const { ranges, speed } = timeline ?? plainTimeline
  const source = chaptersOf(facts)
  const kept: Chapter[] = []
  // Sound alone begins with its first sample, which may be before the picture's first frame.
  const lead = spec.video === null && !ranges ? soundLead(facts) / speed : 0
  let [before, place] = [0, -1]
  for (const { from, to } of ranges ?? [{ from: 0, to: Number.POSITIVE_INFINITY }]) {
    for (const [index, chapter] of source.entries()) {
      const begin = Math.max(from, chapter.from)
      if (begin >= Math.min(to, source[index + 1]?.from ?? Number.POSITIVE_INFINITY)) continue
      const at = lead + (before + begin - from) / speed
      const last = kept.at(-1)
      // One whose middle is cut out goes on behind the cut.
      const goesOn = place === index
      if (goesOn || (last && at - last.from < leastSeconds)) continue
      kept.push({ from: at, title: chapter.title })
      place = index
    }
    before += to - from
  }
  return kept.length < 2 ? [] : kept
}

/**
 * The chapters of a result of a length, in seconds: those that begin within it, and what lies before the first, which is a chapter as well, without a name: in a
 * track of chapters every moment has one. One alone parts nothing.
 */
export function chaptersWithin(chapters: readonly Chapter[], seconds: number): Chapter[] {
  const within = chapters.filter(({ from }) => from <= seconds - leastSeconds)
  if (within.length < 2) return []
  return within[0]!.from < leastSeconds ? within : [{ from: 0, title: null }, ...within]
}
