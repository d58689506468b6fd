import { chaptersOf } from './chapters.ts'
import { isEstimated, type SourceFacts } from './facts.ts'
import type { Piece } from './spec/piece.ts'
import type { DeliverySpec, PictureSpec } from './spec/schema.ts'
import { CannotTreat, deriveTreatment } from './treatment/apply.ts'
import type { Step } from './treatment/step.ts'
import { plainTimeline, sourceTimeAt } from './treatment/timeline.ts'
import { treatedSeconds, type Treatment } from './treatment/treatment.ts'

/** A piece with the steps that make it: those of the whole, of which a trim keeps only the piece. */
export interface PlannedPiece {
  /** Null for a source that stays in one. */
  piece: Piece | null
  steps: readonly Step[]
  treatment: Treatment
}

/** Most results of one source and spec. */
export const mostPieces = 500
/** Chapters shorter than this, as discs have them at their ends, go with the one before. */
const leastChapterSeconds = 1
/** A rest of less than this part of the wished length goes with the piece before. */
const leastRest = 0.1

/** A range of a source, in its own seconds. */
interface Range {
  from: number
  to: number
}

/**
 * What a source becomes by a spec: one result, or several where the spec cuts it in pieces.
 * Borders lie between frames, and are the same number for the piece before and the one behind, so that no frame is in both or in none.
 * @param steps that were chosen for its lot
 * @throws CannotTreat where the whole cannot be made, or a piece, or there would be too many
 */
export function plannedPieces(facts: SourceFacts, spec: DeliverySpec, steps: readonly Step[]): PlannedPiece[] {
  const rule = spec.pieces
  const inOne = (): PlannedPiece[] => [{ piece: null, steps, treatment: deriveTreatment(facts, spec, steps) }]
  if (!rule) return inOne()
  const whole = deriveTreatment(facts, withoutCap(spec), steps)
  const kept = keptOf(facts, whole)
  const pieces: { ranges: Range[]; title: string | null }[] =
    rule.at === 'ranges'
      ? kept.map(range => ({ ranges: [range], title: null }))
      : (rule.at === 'chapters'
          ? byChapter(facts, lengthOf(facts, whole))
          : byLength(facts, whole, rule.seconds)
        ).flatMap(({ from, to, title }) => {
          const ranges = within(kept, { from, to })
          return ranges.length > 0 ? [{ ranges, title }] : []
        })
  if (pieces.length > mostPieces)
    throw new CannotTreat(
      `${spec.name} would cut this source in ${pieces.length} pieces; ${mostPieces} can be made at once. Choose longer ones.`,
    )
  if (pieces.length < 2) return inOne()
  return pieces.map(({ ranges, title }, index) => {
    const own: Step[] = [{ kind: 'trim', ranges }, ...steps.filter(step => step.kind !== 'trim')]
    return {
      piece: { number: index + 1, of: pieces.length, title },
      steps: own,
      treatment: deriveTreatment(facts, spec, own),
    }
  })
}

/** A cap is meant for each piece: what is too long for it in one may fit in several. */
function withoutCap(spec: DeliverySpec): DeliverySpec {
  if (spec.video?.rateControl.kind !== 'size cap') return spec
  return { ...(spec as PictureSpec), video: { ...spec.video, rateControl: { kind: 'constant quality', value: 30 } } }
}

/** Seconds of a source that all its pictures and sound are in. */
function lengthOf(facts: SourceFacts, whole: Treatment): number {
  return Math.max(
    ...facts.audio.map(track => track.endSeconds ?? 0),
    facts.durationSeconds ?? 0,
    whole.timeline?.ranges ? 0 : treatedSeconds(whole) * (whole.timeline?.speed ?? 1),
  )
}

/** What of a source its whole result is made of. What is longer than it says is not cut off. */
function keptOf(facts: SourceFacts, whole: Treatment): Range[] {
  const seconds = lengthOf(facts, whole)
  const margin = facts.video && isEstimated(facts.video) ? seconds * 0.1 + 10 : 0
  return whole.timeline?.ranges ?? [{ from: 0, to: rounded(seconds + margin) }]
}

type Cut = Range & { title: string | null }

/** @param end of the last */
function byChapter(facts: SourceFacts, end: number): Cut[] {
  const begins = chaptersOf(facts).map(({ from, title }) => ({ from: betweenFrames(facts, from), title }))
  if (begins.length > 0 && begins[0]!.from >= leastChapterSeconds) begins.unshift({ from: 0, title: null })
  const cuts: Cut[] = []
  for (const [index, { from, title }] of begins.entries()) {
    const next = begins[index + 1]
    const to = next?.from ?? Number.POSITIVE_INFINITY
    const last = cuts.at(-1)
    if (last && (next?.from ?? end) - from < leastChapterSeconds) last.to = to
    else cuts.push({ from: last ? last.to : 0, to, title })
  }
  const [first, second] = cuts
  if (!second || first!.to >= leastChapterSeconds) return cuts
  return [{ ...second, from: 0 }, ...cuts.slice(2)]
}

/** @param seconds of each result; the last has what remains */
function byLength(facts: SourceFacts, whole: Treatment, seconds: number): Cut[] {
  const timeline = whole.timeline ?? plainTimeline
  const all = treatedSeconds(whole)
  const count = Math.max(1, Math.floor(all / seconds) + ((all / seconds) % 1 >= leastRest ? 1 : 0))
  const borders = Array.from({ length: count - 1 }, (_, index) =>
    betweenFrames(facts, sourceTimeAt(timeline, (index + 1) * seconds)),
  )
  return Array.from({ length: count }, (_, index) => ({
    from: borders[index - 1] ?? 0,
    to: borders[index] ?? Number.POSITIVE_INFINITY,
    title: null,
  }))
}

/** The time at which the frame nearest to a time begins, where frames lie on a grid. */
function betweenFrames({ video }: SourceFacts, seconds: number): number {
  if (!video || video.rateIs !== 'constant') return rounded(seconds)
  const { num, den } = video.frameRate
  return rounded((Math.round((seconds * num) / den) * den) / num)
}

const rounded = (seconds: number): number => Math.round(seconds * 1000) / 1000

/** What of some ranges lies in another. */
function within(kept: readonly Range[], { from, to }: Range): Range[] {
  return kept
    .map(range => ({ from: Math.max(from, range.from), to: Math.min(to, range.to) }))
    .filter(range => range.to - range.from > 0.001)
}
