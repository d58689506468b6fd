import { z } from 'zod'
import { Course } from './course.ts'
import { DiscPlace } from './disc/index.ts'
import { isEstimated, spannedFrames, type SourceFacts } from './facts.ts'
import { describeAspect, displayAspect } from './geometry.ts'
import { equal, Rational } from './rational.ts'
import { NumberedSequence } from './sequence.ts'
import { describeRate } from './timing.ts'
import { describeScan } from './treatment/words.ts'

/** What a source that is played after others says of itself: where it is, and what must still be so when it is read. Paths are of the volume that all parts lie in. */
export const JoinPart = z.object({
  kind: z.enum(['file', 'sequence', 'title']),
  relativePath: z.string(),
  sequence: NumberedSequence.nullable(),
  frameRate: Rational.nullable(),
  disc: DiscPlace.nullable(),
  /** Seconds of its picture (of its sound, when it has none): the next part begins there. */
  seconds: z.number().positive(),
  /** Stream of its picture and the time at which it begins; null without one. */
  picture: z.object({ stream: z.int().min(0), zeroSeconds: z.number() }).nullable(),
  /** Streams of its sound tracks, in order. */
  sound: z.array(z.int().min(0)),
  /** Of streams whose times must be moved or made. */
  courses: z.array(Course).optional(),
})
export type JoinPart = z.infer<typeof JoinPart>

/** Fewest and most parts of a join. */
export const joinLimits = { fewest: 2, most: 200 }

/** What of a source's facts a join needs to know to read it. */
export function joinPartFacts(facts: SourceFacts): Pick<JoinPart, 'seconds' | 'picture' | 'sound' | 'courses'> {
  const { video } = facts
  return {
    seconds: video ? (spannedFrames(video) * video.frameRate.den) / video.frameRate.num : facts.durationSeconds!,
    picture: video && {
      stream: video.streamIndex,
      zeroSeconds: (video.startTicks * video.timeBase.num) / video.timeBase.den,
    },
    sound: facts.audio.map(track => track.streamIndex),
    ...(facts.courses ? { courses: facts.courses } : {}),
  }
}

/** Why sources cannot be played one after the other as one, as a sentence; null when they can. */
export function joinProblem(sources: readonly { name: string; facts: SourceFacts }[]): string | null {
  const [first, ...others] = sources
  if (!first || others.length === 0) return 'Choose two sources or more to join.'
  if (sources.length > joinLimits.most) return `At most ${joinLimits.most} sources can be joined at once.`
  for (const { name, facts } of sources)
    if (!facts.video && !facts.durationSeconds)
      return `${name} does not say how long it is, so nothing can follow it. Leave it out.`
  for (const { name, facts } of others) {
    const differs = differenceOf(first.facts, facts)
    if (differs)
      return `${name} cannot follow ${first.name}: ${differs}. Bring both into one shape first, or join only those that are alike.`
  }
  return null
}

function differenceOf(a: SourceFacts, b: SourceFacts): string | null {
  const [one, two] = [a.video, b.video]
  if ((one === null) !== (two === null)) return 'one has a picture, the other has none'
  if (one && two) {
    const shape = (video: typeof one) => `${video.width}x${video.height} ${describeAspect(displayAspect(video))}`
    if (shape(one) !== shape(two)) return `its picture is ${shape(two)}, not ${shape(one)}`
    if (!equal(one.frameRate, two.frameRate))
      return `its rate is ${describeRate(two.frameRate)} fps, not ${describeRate(one.frameRate)}`
    if (describeScan(one) !== describeScan(two)) return `it is ${describeScan(two)}, not ${describeScan(one)}`
    if (one.pixelFormat !== two.pixelFormat) return `its samples are ${two.pixelFormat}, not ${one.pixelFormat}`
    if (one.colour.matrix !== two.colour.matrix || one.colour.range !== two.colour.range)
      return 'its colours are coded in another way'
  }
  if (a.audio.length !== b.audio.length)
    return `it has ${b.audio.length} sound ${b.audio.length === 1 ? 'track' : 'tracks'}, not ${a.audio.length}`
  const unlike = b.audio.findIndex((track, index) =>
    ['codec', 'channels', 'sampleRate'].some(key => track[key as 'codec'] !== a.audio[index]![key as 'codec']),
  )
  return unlike < 0 ? null : `its sound track ${unlike + 1} is of another kind`
}

/**
 * The facts of sources played one after the other: what they share, with lengths and bytes added up.
 * @param sources at least one, alike by `joinProblem`
 */
export function joinFacts(sources: readonly { name: string; facts: SourceFacts }[]): SourceFacts {
  const all = sources.map(({ facts }) => facts)
  const [first] = all as [SourceFacts]
  const parts = all.map(joinPartFacts)
  const durationSeconds = parts.reduce((sum, part) => sum + part.seconds, 0)
  const bytes = all.reduce((sum, facts) => sum + facts.bytes, 0)
  let begin = 0
  const joined = sources.map(({ name }, index) => {
    const from = begin
    begin += parts[index]!.seconds
    return { name, from }
  })
  const [lastPart, lastFacts] = [parts.at(-1)!, all.at(-1)!]
  return {
    ...first,
    bytes,
    durationSeconds,
    bitsPerSecond: (bytes * 8) / durationSeconds,
    // Sound begins as the first part's does and ends as the last part's, which is cut where the part ends.
    audio: first.audio.map((track, index) => {
      const end = lastFacts.audio[index]?.endSeconds
      return {
        ...track,
        endSeconds:
          end === undefined ? undefined : durationSeconds - lastPart.seconds + Math.min(end, lastPart.seconds),
      }
    }),
    video: first.video && {
      ...first.video,
      frameCount: all.reduce((sum, facts) => sum + facts.video!.frameCount, 0),
      rateIs: all.some(facts => facts.video!.rateIs === 'variable') ? 'variable' : 'constant',
      frameCountFrom: all.find(facts => isEstimated(facts.video!))?.video!.frameCountFrom ?? first.video.frameCountFrom,
      slots: all.reduce((sum, facts) => sum + spannedFrames(facts.video!), 0),
      repeats: all.reduce((sum, facts) => sum + (facts.video!.repeats ?? 0), 0),
      averageRate: undefined,
      gaps: undefined,
    },
    // Subtitles, chapters and missing frames are told by the parts' own times; a join does not carry them.
    subtitles: [],
    disc: undefined,
    chapters: undefined,
    missingFrames: undefined,
    arriving: undefined,
    jumps: undefined,
    courses: undefined,
    promised: undefined,
    joined,
    remarks: sources.flatMap(({ name, facts }) => facts.remarks.map(remark => `${name}: ${remark}`)),
  }
}
