import { chaptersOf } from './chapters.ts'
import { isEstimated, spannedFrames, type SourceFacts } from './facts.ts'
import { outputKind } from './spec/container.ts'
import type { Piece, SpecPieces } from './spec/piece.ts'
import type { DeliverySpec } from './spec/schema.ts'
import { CannotTreat } from './treatment/apply.ts'
import type { Step } from './treatment/step.ts'
import { resultSeconds, sourceTimeAt, type Timeline } from './treatment/timeline.ts'
import { toNumber } from './rational.ts'

/** A piece with the steps that make it: those of the whole, of which a trim keeps only the piece. */
export interface PlannedPiece {
  /** Null for a source that stays in one. */
  piece: Piece | null
  steps: readonly Step[]
}

/** A spec cuts a source where its picture cuts, and nobody has looked through it for that. */
export class CutsUnknown extends CannotTreat {
  constructor() {
    super('Where its picture cuts is not known: only places of it were looked at. Look through it for cuts first.')
  }
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
 * What a source becomes by a spec: one result, or several where the spec cuts it in pieces. Of a piece that is to be a still, the frame in its middle.
 * Borders lie between frames, and are the same number for the piece before and the one behind, so that no frame is in both or in none.
 * @param steps that were chosen for its lot
 * @param cuts of the whole source, see `cutsOf`; null where they are not known
 * @throws CutsUnknown where they are asked for
 * @throws CannotTreat where there would be too many; whether each can be made is known once its treatment is worked out
 */
export function plannedPieces(
  facts: SourceFacts,
  spec: DeliverySpec,
  steps: readonly Step[],
  cuts: readonly number[] | null,
): PlannedPiece[] {
  const rule = spec.pieces
  const isFrame = outputKind(spec) === 'still' && facts.video !== null && spannedFrames(facts.video) > 1
  const inOne: PlannedPiece[] = [{ piece: null, steps }]
  if (!rule || (outputKind(spec) === 'still' && !isFrame)) return inOne
  const timeline = timelineOf(steps)
  const kept = keptOf(facts, timeline)
  const stretches = stretchesBy(rule, facts, timeline, cuts)
  const pieces: { ranges: Range[]; title: string | null }[] =
    stretches?.flatMap(({ from, to, title }) => {
      const ranges = within(kept, { from, to })
      return ranges.length > 0 ? [{ ranges, title }] : []
    }) ?? kept.map(range => ({ ranges: [range], title: null }))
  if (pieces.length > mostPieces)
    throw new CannotTreat(
      `${spec.name} would cut this source in ${pieces.length} pieces; ${mostPieces} can be made at once. Choose longer ones.`,
    )
  if (pieces.length < 2 && !isFrame) return inOne
  const cut = pieces.length > 0 ? pieces : [{ ranges: kept, title: null }]
  return cut.map(({ ranges, title }, index) => {
    const trim: Step = { kind: 'trim', ranges: isFrame ? [frameWithin(facts, ranges)] : ranges }
    return {
      piece: cut.length < 2 ? null : { number: index + 1, of: cut.length, title },
      steps: [trim, ...steps.filter(step => step.kind !== 'trim')],
    }
  })
}

/** What steps do to time. */
function timelineOf(steps: readonly Step[]): Timeline {
  let [ranges, speed]: [Timeline['ranges'], number] = [null, 1]
  for (const step of steps) {
    if (step.kind === 'trim') ranges = step.ranges
    if (step.kind === 'speed') speed *= step.factor
  }
  return { ranges, speed }
}

/** Seconds of a source that all its pictures and sound are in. */
function lengthOf({ video, audio, durationSeconds }: SourceFacts): number {
  return Math.max(
    ...audio.map(track => track.endSeconds ?? 0),
    durationSeconds ?? 0,
    video ? spannedFrames(video) / toNumber(video.frameRate) : 0,
  )
}

/** What of a source its whole result is made of. What is longer than it says is not cut off. */
function keptOf(facts: SourceFacts, { ranges }: Timeline): Range[] {
  if (ranges) return ranges
  const seconds = lengthOf(facts)
  const margin = facts.video && isEstimated(facts.video) ? seconds * 0.1 + 10 : 0
  return [{ from: 0, to: rounded(seconds + margin) }]
}

type Stretch = Range & { title: string | null }

/** Stretches of a source that follow each other and leave nothing out; null for the ranges of a trim. */
function stretchesBy(
  rule: SpecPieces,
  facts: SourceFacts,
  timeline: Timeline,
  cuts: readonly number[] | null,
): Stretch[] | null {
  switch (rule.at) {
    case 'ranges':
      return null
    case 'length':
      return byLength(facts, timeline, rule.seconds)
    case 'chapters':
      return beginningAt(facts, chaptersOf(facts), leastChapterSeconds)
    case 'cuts':
      if (!facts.video) return []
      if (!cuts) throw new CutsUnknown()
      return beginningAt(
        facts,
        cuts.map(from => ({ from, title: null })),
        rule.leastSeconds,
      )
  }
}

/** @param begins in their order @param leastSeconds what is shorter goes with the stretch before, the first with the one behind */
function beginningAt(
  facts: SourceFacts,
  begins: readonly { from: number; title: string | null }[],
  leastSeconds: number,
): Stretch[] {
  const all = begins.map(({ from, title }) => ({ from: betweenFrames(facts, from), title }))
  if (all.length > 0 && all[0]!.from > 0 && all[0]!.from >= leastSeconds) all.unshift({ from: 0, title: null })
  const stretches: Stretch[] = []
  for (const [index, { from, title }] of all.entries()) {
    const next = all[index + 1]
    const to = next?.from ?? Number.POSITIVE_INFINITY
    const last = stretches.at(-1)
    if (last && (next?.from ?? lengthOf(facts)) - from < leastSeconds) last.to = to
    else stretches.push({ from: last ? last.to : 0, to, title })
  }
  const [first, second] = stretches
  if (!second || first!.to >= leastSeconds) return stretches
  return [{ ...second, from: 0 }, ...stretches.slice(2)]
}

/** @param seconds of each result; the last has what remains */
function byLength(facts: SourceFacts, timeline: Timeline, seconds: number): Stretch[] {
  const all = resultSeconds(timeline, lengthOf(facts))
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

/** The time at which the frame nearest to a time begins, on the grid that pictures are put on before they are trimmed. */
function betweenFrames({ video }: SourceFacts, seconds: number): number {
  if (!video) return rounded(seconds)
  const { num, den } = video.frameRate
  return rounded((Math.round((seconds * num) / den) * den) / num)
}

/** The range of the frame in the middle of some ranges. */
function frameWithin({ video, durationSeconds }: SourceFacts, ranges: readonly Range[]): Range {
  const rate = toNumber(video!.frameRate)
  const last = spannedFrames(video!) - 1
  const end = Math.max(durationSeconds ?? 0, (last + 1) / rate)
  const inside = ranges.map(({ from, to }) => ({ from, to: Math.min(to, end) }))
  const middle = sourceTimeAt({ ranges: inside, speed: 1 }, resultSeconds({ ranges: inside, speed: 1 }, end) / 2)
  // A time that was rounded belongs to the frame that begins with it.
  const frame = Math.min(last, Math.floor(middle * rate + 0.05))
  return { from: rounded(frame / rate), to: rounded((frame + 1) / rate) }
}

const rounded = (seconds: number): number => Math.round(seconds * 1000) / 1000

/** What of some ranges lies in another. */
function within(kept: readonly Range[], { from, to }: Range): Range[] {
  return kept
    .map(range => ({ from: Math.max(from, range.from), to: Math.min(to, range.to) }))
    .filter(range => range.to - range.from > 0.001)
}
