import { z } from 'zod'
import { spannedFrames, type SourceFacts, type VideoFacts } from './facts.ts'
import { toNumber } from './rational.ts'
import { correlations } from './signal/fourier.ts'
import { pictureLikeness, turnedPicture, upright, type Signs } from './small-picture.ts'
import { stepKinds } from './treatment/step.ts'
import { soundDelay, type PictureTreatment, type Treatment } from './treatment/treatment.ts'
import { plainTimeline, resultSeconds, resultTimeAt, sourceTimeAt, type Timeline } from './treatment/timeline.ts'

/**
 * The account of a source's pictures and sound: what it gave when it was decoded by the shortest way, what became of it by each named step or rule,
 * and whether the result has what is left. It is worked out from the source's own pictures and the treatment's list, never from the treatment's doing.
 */

/** What plain decoding of a picture told. Columns have an entry for each picture; -1 where it could not be looked at. */
export interface PlainLook {
  pictures: number
  errors: number
  /** Packets without data at its end, each of which shows the last picture once more. */
  repeatsAtEnd: number
  /** Times that the packets state; null where they state none. Empty for numbered pictures. */
  seconds: (number | null)[]
  /** Mean brightness and mean change since the picture before, in codes, at 32x32 points. */
  mean: number[]
  change: number[]
  /** Pictures spread over the length, 32x32 points each, by their time from the first. */
  samples: { seconds: number; picture: number[] }[]
  /** Factors a, b, c, d of the display matrix, as signs; null when there is none. */
  signs: Signs | null
  /** Seconds from the source's first picture to the first of these, where those before were not looked at. */
  begins?: number
  /** Whether there are more behind the last of these, which were not looked at. */
  goesOn?: boolean
}

/** A stretch of a source, in seconds from its first picture. */
export type SourceStretch = z.infer<typeof Stretch>

/** What of a source is looked at beside what a trim keeps of it, before and behind, in seconds. */
const lookedAround = { before: 2, behind: 1 }

/**
 * The stretch of a source that a plain look has to see: what a trim keeps, with a little around it.
 * @returns it, and from the first to the last that is kept; null for all of it: where nothing is trimmed, and where times do not say where in the source one is
 */
export function stretchLookedAt(
  { courses, jumps, joined, video }: SourceFacts,
  { timeline }: Pick<Treatment, 'timeline'>,
): (SourceStretch & { kept: SourceStretch }) | null {
  const ranges = timeline?.ranges
  const isPlain =
    (video === null || video.rateIs === 'constant') &&
    !joined &&
    (courses ?? []).length === 0 &&
    (jumps ?? []).length === 0
  if (!ranges || !isPlain) return null
  const kept = { from: ranges[0]!.from, to: Math.max(...ranges.map(range => range.to)) }
  return { from: Math.max(0, kept.from - lookedAround.before), to: kept.to + lookedAround.behind, kept }
}

/** What plain decoding of a sound track told. */
export interface PlainSound {
  /** Where it was begun to listen, in seconds from the source's time 0, where what comes before was left out. */
  begins?: number
  /** Decoded samples, in seconds, and where they begin and end from the source's time 0; null when there are none. */
  seconds: number
  first: number | null
  last: number | null
  errors: number
  sampleRate: number
  channels: number
  /** Level of each channel in dBFS, of what counts of it. */
  loudness: number[]
  /** The first two channels at `rate` samples a second. */
  rate: number
  coarse: number[][]
}

const Part = z.object({ by: z.string(), count: z.int().min(0) })
const Stretch = z.object({ from: z.number().min(0), to: z.number().min(0) })

export const PictureAccount = z.object({
  /** Pictures that the source gave; of a trimmed one perhaps only those in and around what is kept. */
  pictures: z.int().min(0),
  isPart: z.literal(true).optional(),
  errors: z.int().min(0),
  dropped: z.array(Part),
  repeated: z.array(Part),
  /** Frames that steps made besides. */
  made: z.array(Part),
  /** Frames that must be in the result, by how many it may differ, and how many there are. */
  expected: z.int().min(0),
  tolerance: z.int().min(0),
  found: z.int().min(0),
  /** Stretches of the result that stand still, or are black, while the source moves or is not. */
  stuck: z.array(Stretch),
  black: z.array(Stretch),
  /** Likeness of the pictures to the source's, -1 to 1, as the file says they stand; null where they could not be compared. */
  likeness: z.number().nullable(),
  /** A way of turning under which they are much more alike, in words. */
  turned: z.string().nullable(),
})
export type PictureAccount = z.infer<typeof PictureAccount>

export const SoundAccount = z.object({
  /**
   * Seconds that the source gave, of a trimmed one perhaps only those in and around what is kept; of them cut off before its picture begins, and trimmed off;
   * silence put in for what is not there.
   */
  seconds: z.number().min(0),
  isPart: z.literal(true).optional(),
  cutBefore: z.number().min(0),
  trimmed: z.number().min(0),
  silence: z.number().min(0),
  expectedEnd: z.number(),
  foundEnd: z.number(),
  /** By how much the result's sound is late against the source's, in seconds; null where that cannot be told. */
  late: z.number().nullable(),
  /** Channels, from 0, that are silent here and not in the source, or turned over against it. */
  silent: z.array(z.int()),
  turnedOver: z.array(z.int()),
})
export type SoundAccount = z.infer<typeof SoundAccount>

export const Account = z.object({ picture: PictureAccount.nullable(), sound: z.array(SoundAccount) })
export type Account = z.infer<typeof Account>

/** A part of a frame, in pixels. */
export interface Region {
  left: number
  top: number
  width: number
  height: number
}

type Sizes = Record<'from' | 'to', { width: number; height: number }>

/** The part of a result's frame that its picture has, where black was put around it: what is in the bars says nothing of the picture. Null where it has all of it. */
export function pictureRegion({ steps }: Pick<PictureTreatment, 'steps'>): Region | null {
  let region: Region | null = null
  for (const step of steps) {
    if (step.kind === 'size' && region) region = scaledRegion(region, step)
    if (step.kind !== 'chosen') continue
    if (step.step.kind === 'pad') region = paddedRegion(region, step)
    if (step.step.kind === 'crop' && region)
      region = withinFrame({ ...region, left: region.left - step.step.left, top: region.top - step.step.top }, step.to)
  }
  return region
}

function scaledRegion(region: Region, { from, to }: Sizes): Region {
  const [across, down] = [to.width / from.width, to.height / from.height]
  const [left, top] = [Math.ceil(region.left * across), Math.ceil(region.top * down)]
  return {
    left,
    top,
    width: Math.floor((region.left + region.width) * across) - left,
    height: Math.floor((region.top + region.height) * down) - top,
  }
}

/** The picture stands in the middle, by whole pairs of pixels. */
function paddedRegion(region: Region | null, { from, to }: Sizes): Region {
  const within = region ?? { left: 0, top: 0, width: from.width, height: from.height }
  const before = (side: 'width' | 'height') => 2 * Math.floor((to[side] - from[side]) / 4)
  return { ...within, left: within.left + before('width'), top: within.top + before('height') }
}

/** What of a region lies in a frame. */
function withinFrame({ left, top, width, height }: Region, frame: Sizes['to']): Region {
  const [x, y] = [Math.max(0, left), Math.max(0, top)]
  return {
    left: x,
    top: y,
    width: Math.min(left + width, frame.width) - x,
    height: Math.min(top + height, frame.height) - y,
  }
}

/** Parts that are smaller than this are not looked at by themselves. */
const leastRegion = 16

/**
 * The part of a source's frame that is left in the result, where some of it is cut off: what moves there alone moves no more. Null where all of it is left, or
 * where it cannot be told.
 */
export function keptRegion(
  { steps }: Pick<PictureTreatment, 'steps'>,
  { width, height, turned }: VideoFacts,
): Region | null {
  let kept: Region = { left: 0, top: 0, width, height }
  const chosen = steps.flatMap(step => (step.kind === 'chosen' ? [step] : []))
  const lastCut = chosen.findLastIndex(({ step }) => step.kind === 'crop')
  if (lastCut < 0 || turned) return null
  for (const { step, from, to } of chosen.slice(0, lastCut + 1)) {
    // Turned, moved or padded before it: where a pixel was is not followed.
    if (['rotate', 'flip', 'steady', 'pad'].includes(step.kind)) return null
    if (step.kind !== 'crop') continue
    const [across, down] = [kept.width / from.width, kept.height / from.height]
    kept = {
      left: kept.left + step.left * across,
      top: kept.top + step.top * down,
      width: to.width * across,
      height: to.height * down,
    }
  }
  const even = (value: number) => 2 * Math.floor(value / 2)
  const [left, top] = [even(kept.left + 1), even(kept.top + 1)]
  const region = {
    left,
    top,
    width: even(kept.left + kept.width - left),
    height: even(kept.top + kept.height - top),
  }
  return Math.min(region.width, region.height) >= leastRegion ? region : null
}

/** Steps back, or leaps that the facts know as jumps, by more than this are no steps of time, in seconds. */
const jumpSlack = 0.6
const stepBack = -0.1

/** Times of a source's pictures from the first on, running on over its jumps. */
function runningTimes(look: PlainLook, facts: SourceFacts): number[] {
  const video = facts.video!
  const frame = 1 / toNumber(video.frameRate)
  if (look.seconds.length === 0) return Array.from({ length: spannedFrames(video) }, (_, index) => index * frame)
  // Without times of their own, or with made-up ones, pictures follow at the rate.
  const isMade = facts.courses?.some(course => course.stream === video.streamIndex && course.step !== null) ?? false
  const times: number[] = []
  let [now, last] = [look.begins ?? 0, null as number | null]
  for (const seconds of look.seconds) {
    if (times.length > 0) {
      const step = seconds === null || last === null ? frame : seconds - last
      const isKnown = facts.jumps?.some(jump => Math.abs(jump.by + frame - step) < jumpSlack) ?? false
      now += isMade || step < stepBack || (isKnown && step > 1) ? frame : Math.max(0, step)
    }
    times.push(now)
    if (seconds !== null) last = seconds
  }
  return times
}

/** Pictures that steps may leave over or take more of, at each end and by the rounding of times. */
const stepTolerance = 2

interface Walk {
  times: number[]
  made: z.infer<typeof Part>[]
  dropped: z.infer<typeof Part>[]
  tolerance: number
  /** Whether pictures are mixed, so that none can be told from another. */ mixed: boolean
}

function add(parts: z.infer<typeof Part>[], by: string, count: number): void {
  if (count > 0) parts.push({ by, count })
}

/** What becomes of the pictures' times in a treatment's steps before they are put on the result's grid. */
function walk(times: readonly number[], treatment: PictureTreatment, video: VideoFacts): Walk {
  const state: Walk = { times: [...times], made: [], dropped: [], tolerance: 0, mixed: false }
  const frame = 1 / toNumber(video.frameRate)
  const thin = (every: number, by: string) => {
    const kept = state.times.filter((_, index) => index % every !== every - 1)
    add(state.dropped, by, state.times.length - kept.length)
    state.times = kept
    state.tolerance += stepTolerance + Math.ceil(times.length * 0.002)
  }
  for (const step of treatment.steps) {
    if (step.kind === 'deinterlace' && step.to === 'field rate') {
      add(state.made, 'Deinterlace, one frame a field', state.times.length)
      state.times = state.times.flatMap(at => [at, at + frame / 2])
      state.tolerance += 1
    } else if (step.kind === 'rate' && (step.between ?? 'repeat') !== 'repeat') {
      state.mixed = true
      state.tolerance += stepTolerance
    } else if (step.kind === 'chosen') {
      const name = stepKinds[step.step.kind].name
      if (step.step.kind === 'trim') {
        const timeline: Timeline = { ranges: step.step.ranges, speed: 1 }
        const kept = state.times.flatMap(at => resultTimeAt(timeline, at + frame / 4) ?? [])
        add(state.dropped, name, state.times.length - kept.length)
        state.times = kept.map(at => Math.max(0, at - frame / 4))
        state.tolerance += 1
      } else if (step.step.kind === 'undo-pulldown') thin(5, name)
      else if (step.step.kind === 'drop-repeats') thin(step.step.every, name)
      else if (step.step.kind === 'speed') {
        const { factor } = step.step
        state.times = state.times.map(at => at / factor)
        state.tolerance += stepTolerance
        if (step.step.between !== 'repeat') state.mixed = true
      }
    }
  }
  return state
}

/** Longest that a result may stand still or be black on its own, in seconds. */
const leastStretch = 0.4
/** Change below which a result stands still, and above which a source moves, in codes. */
const standing = 0.06
const moving = 0.8
const black = { result: 22, source: 40 }
const mostStretches = 20
/** Rules have names of their own in the account. */
const byRate = 'the rate'

/** The account of a source's pictures. */
export function accountOfPictures(
  source: PlainLook,
  result: PlainLook,
  facts: SourceFacts,
  treatment: PictureTreatment,
): PictureAccount {
  const video = facts.video!
  const rate = toNumber(treatment.result.rate)
  const times = runningTimes(source, facts)
  const { dropped, made, tolerance, mixed, times: walked } = walk(times, treatment, video)
  const repeated: z.infer<typeof Part>[] = []
  // On the grid each picture is shown from the place nearest to its time until the next comes, and the last one for as long as it lasts.
  const own = 1 / toNumber(video.frameRate) / (treatment.timeline?.speed ?? 1)
  const lastLength = own * ((walked.length > times.length ? 0.5 : 1) + source.repeatsAtEnd)
  const place = (at: number) => Math.round(at * rate + 1e-6)
  // What a trim keeps ends where its last range does, however long before that a picture came that is still shown then.
  const { timeline } = treatment
  const sourceEnd = source.goesOn
    ? Number.POSITIVE_INFINITY
    : (times.at(-1) ?? 0) + (1 + source.repeatsAtEnd) / toNumber(video.frameRate)
  const hasAny = walked.length > 0 || (timeline?.ranges?.some(({ to }) => (times[0] ?? to) < to) ?? false)
  const lasts = Math.max(
    walked.length > 0 ? walked.at(-1)! + lastLength : 0,
    timeline?.ranges ? resultSeconds(timeline, sourceEnd) : 0,
  )
  const expected = mixed ? treatment.result.frameCount : hasAny ? Math.max(1, place(lasts)) : 0
  const distinct = new Set(walked.map(place).filter(at => at < expected)).size
  if (mixed) add(made, 'frames between', Math.max(0, expected - walked.length))
  else {
    add(dropped, byRate, walked.length - distinct)
    const all = expected - distinct
    const empty = Math.min(all, video.repeats ?? 0)
    const missing = Math.min(all - empty, source.seconds.length === 0 ? times.length - source.pictures : 0)
    add(repeated, 'repeats of the source', empty)
    add(repeated, 'missing frames', missing)
    add(repeated, video.gaps?.count ? 'gaps' : byRate, all - empty - missing)
  }
  const isTimed =
    treatment.timeline !== undefined ||
    tolerance > 0 ||
    video.rateIs === 'variable' ||
    rate !== toNumber(video.frameRate)
  const stretches = differing(source, result, times, treatment)
  const did = (kinds: readonly string[]) =>
    treatment.steps.some(step => step.kind === 'chosen' && kinds.includes(step.step.kind))
  // Of what was cut, the source is looked at in what is left of it.
  const showsTheSame = !did(['crop']) || (!facts.joined && keptRegion(treatment, video) !== null)
  const standsAsMade = showsTheSame && !did(['rotate', 'flip', 'steady'])
  return {
    pictures: source.pictures,
    ...(source.begins !== undefined ? { isPart: true as const } : {}),
    errors: source.errors,
    dropped,
    repeated,
    made,
    expected,
    tolerance: tolerance + (isTimed ? 1 : 0),
    found: result.pictures,
    ...stretches,
    ...(standsAsMade ? turning(source, result, times, treatment) : { likeness: null, turned: null }),
  }
}

/** Stretches in which the result stands still or is black while the source at the same time does not. */
function differing(
  source: PlainLook,
  result: PlainLook,
  times: readonly number[],
  treatment: PictureTreatment,
): Pick<PictureAccount, 'stuck' | 'black'> {
  const timeline = treatment.timeline ?? plainTimeline
  const rate = toNumber(treatment.result.rate)
  const stretchesWhere = (holds: (index: number) => boolean) => {
    const found: { from: number; to: number }[] = []
    for (let from = 0; from < result.pictures; from++) {
      if (!holds(from)) continue
      let to = from
      while (to + 1 < result.pictures && holds(to + 1)) to++
      if ((to - from + 1) / rate >= leastStretch) found.push({ from: from / rate, to: (to + 1) / rate })
      from = to
    }
    return found
  }
  const during = ({ from, to }: { from: number; to: number }, column: readonly number[]) => {
    // What happens while its last frame is shown is seen in the next one.
    const [begin, end] = [sourceTimeAt(timeline, from), sourceTimeAt(timeline, to - 1 / rate)]
    return column.filter((value, index) => value >= 0 && times[index]! > begin && times[index]! < end)
  }
  const middle = (values: number[]) => values.sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0
  const stuck =
    source.change.length === 0
      ? []
      : stretchesWhere(
          index =>
            result.change[index]! >= 0 && result.change[index]! < standing && result.mean[index]! >= black.result,
        ).filter(stretch => middle(during(stretch, source.change)) > moving)
  const dark =
    source.mean.length === 0
      ? []
      : stretchesWhere(index => result.mean[index]! >= 0 && result.mean[index]! < black.result).filter(
          stretch => middle(during(stretch, source.mean)) > black.source,
        )
  return { stuck: stuck.slice(0, mostStretches), black: dark.slice(0, mostStretches) }
}

const ways: readonly { words: string; signs: Signs }[] = [
  { words: 'as it is stored', signs: upright },
  { words: 'turned by 90 degrees', signs: [0, 1, -1, 0] },
  { words: 'turned by 180 degrees', signs: [-1, 0, 0, -1] },
  { words: 'turned by 270 degrees', signs: [0, -1, 1, 0] },
  { words: 'mirrored left to right', signs: [-1, 0, 0, 1] },
  { words: 'mirrored top to bottom', signs: [1, 0, 0, -1] },
  { words: 'turned by 90 degrees and mirrored', signs: [0, 1, 1, 0] },
  { words: 'turned by 270 degrees and mirrored', signs: [0, -1, -1, 0] },
]
/** Pictures with less contrast than this, as a standard deviation in codes, tell nothing. */
const leastContrast = 6
/** By how much another way must be more alike, and how alike. */
const clearly = { more: 0.2, least: 0.6 }

function turning(
  source: PlainLook,
  result: PlainLook,
  times: readonly number[],
  treatment: PictureTreatment,
): Pick<PictureAccount, 'likeness' | 'turned'> {
  const timeline = treatment.timeline ?? plainTimeline
  const slack = 0.6 / toNumber(treatment.result.rate)
  // Where the source's own times jump, they say nothing of when a picture is shown.
  const span = times.at(-1) ?? 0
  if (source.samples.some(entry => entry.seconds > span + 1 || entry.seconds < -1))
    return { likeness: null, turned: null }
  const pairs = source.samples.flatMap(entry => {
    const at = resultTimeAt(timeline, entry.seconds)
    const other = at === null ? undefined : result.samples.find(candidate => Math.abs(candidate.seconds - at) <= slack)
    return other ? [{ before: entry.picture, after: other.picture }] : []
  })
  const expected = source.signs ?? upright
  const likenessOf = (signs: Signs) => {
    const values = pairs
      .map(({ before, after }) => pictureLikeness(turnedPicture(before, signs), after))
      .filter(({ contrast }) => contrast >= leastContrast)
      .map(({ value }) => value)
      .sort((a, b) => a - b)
    return values.length === 0 ? null : values[Math.floor(values.length / 2)]!
  }
  const likeness = likenessOf(expected)
  if (likeness === null) return { likeness: null, turned: null }
  // Nothing is more alike than the same.
  if (1 - likeness <= clearly.more) return { likeness, turned: null }
  const best = ways.map(way => ({ ...way, value: likenessOf(way.signs) ?? -1 })).sort((x, y) => y.value - x.value)[0]!
  const isOther =
    best.signs.some((sign, index) => sign !== expected[index]) &&
    best.value - likeness > clearly.more &&
    best.value > clearly.least
  return { likeness, turned: isOther ? best.words : null }
}

/** How far sound is looked for from its place, in seconds; length of the pieces that are compared, and how many. */
const reach = 0.4
const pieceSeconds = 5
const pieces = 3
/** Correlation from which two sounds are the same, and below which (negative) one is turned over. */
const same = 0.35
/** Lags that are nearly as good count as good: of them the one nearest to where it should be is taken, since tones repeat. */
const nearlyAsGood = 0.97
const silentBelow = -75
const heardAbove = -50
/** Gaps in a track of more than this in all, in seconds, and its pieces are no longer where their number says. */
const mostGap = 0.02

/** The account of one sound track. @param frames that the result's picture must have; null where there is none, or it was not counted */
export function accountOfSound(
  source: PlainSound,
  result: PlainSound,
  facts: SourceFacts,
  treatment: Treatment,
  frames: number | null = null,
): SoundAccount {
  const timeline = treatment.timeline ?? plainTimeline
  const delay = soundDelay(treatment)
  const [first, last] = [source.first ?? 0, source.last ?? 0]
  const hasJumps = (facts.jumps?.length ?? 0) > 0
  const end = hasJumps ? Math.max(0, first) + source.seconds + Math.min(0, first) : last
  const cutBefore = Math.max(0, -first)
  const gaps = Math.max(0, last - first - source.seconds)
  const ownEnd = Math.max(0, resultSeconds(timeline, Math.max(0, end)) + delay)
  // Beside every frame and nowhere else, whatever the source has.
  const isEven = treatment.result !== null && 'evenSound' in treatment && treatment.evenSound === true
  const expectedEnd = isEven && frames !== null ? frames / toNumber(treatment.result.rate) : ownEnd
  const kept = Math.max(0, end - Math.max(0, first))
  const ranges = timeline.ranges ?? [{ from: 0, to: Number.POSITIVE_INFINITY }]
  const isPart = source.begins !== undefined
  const isPlain = (timeline.ranges === null || (isPart && ranges.length === 1)) && timeline.speed === 1
  // Where it was begun to listen there is sound, unless it is heard to begin later.
  const missing = isPart && first - source.begins! < mostGap ? 0 : Math.max(0, first)
  const comparable = isPlain && !hasJumps && gaps <= mostGap && source.coarse.length > 0 && result.coarse.length > 0
  const alike = source.channels === result.channels && !(treatment.sound ?? []).some(step => step.kind === 'channels')
  const loud = louderOf(source)
  const offset = comparable
    ? latenessOf(
        Float32Array.from(source.coarse[loud]!),
        Float32Array.from(result.coarse[loud] ?? result.coarse[0]!),
        source.rate,
        (result.first ?? 0) + ranges[0]!.from - first - delay,
      )
    : null
  return {
    seconds: source.seconds,
    ...(isPart ? { isPart } : {}),
    cutBefore: Math.min(cutBefore, source.seconds),
    trimmed:
      (timeline.ranges ? Math.max(0, kept - resultSeconds({ ...timeline, speed: 1 }, isPart ? end : kept)) : 0) +
      Math.max(0, ownEnd - expectedEnd),
    silence: missing + gaps + Math.max(0, expectedEnd - ownEnd),
    expectedEnd,
    foundEnd: result.last ?? 0,
    late: offset?.late ?? null,
    silent: alike
      ? result.loudness.flatMap((level, channel) =>
          level < silentBelow && (source.loudness[channel] ?? -120) > heardAbove ? [channel] : [],
        )
      : [],
    turnedOver:
      alike && offset
        ? [0, 1].filter(
            channel =>
              source.coarse[channel] &&
              result.coarse[channel] &&
              isTurnedOver(source.coarse[channel]!, result.coarse[channel]!, offset.lag, source.rate),
          )
        : [],
  }
}

/** The louder of the first two channels, which stands for both: mixed, one that is turned over would cancel the other. */
function louderOf({ coarse: [one, two] }: PlainSound): number {
  const energy = (values: number[] | undefined) => values?.reduce((sum, value) => sum + value * value, 0) ?? -1
  return energy(two) > energy(one) ? 1 : 0
}

/**
 * How late a sound is against another.
 * @param expected how much later the second begins by its own account, in seconds: sample n of it belongs to sample n + expected of the first
 */
export function latenessOf(
  source: Float32Array,
  result: Float32Array,
  rate: number,
  expected: number,
): { late: number; lag: number } | null {
  const [length, most, shift] = [Math.round(pieceSeconds * rate), Math.round(reach * rate), Math.round(expected * rate)]
  const starts = loudest(source, length, most + Math.abs(shift))
  const found = starts
    .flatMap(start => {
      const values = correlations(source, result, {
        start,
        size: length,
        firstLag: -most - shift,
        lastLag: most - shift,
      }).map(Math.abs)
      const best = Math.max(...values)
      if (best < same) return []
      const good = [...values].flatMap((value, index) => (value >= nearlyAsGood * best ? [index - most] : []))
      return [good.reduce((near, lag) => (Math.abs(lag) < Math.abs(near) ? lag : near))]
    })
    .sort((a, b) => a - b)
  if (found.length === 0) return null
  const lag = found[Math.floor(found.length / 2)]!
  // Pieces that do not agree prove nothing.
  if (found.filter(other => Math.abs(other - lag) <= rate * 0.02).length * 2 <= found.length && found.length > 1)
    return null
  return { late: lag / rate, lag: lag - shift }
}

/** Where the loudest pieces begin, apart from each other. */
function loudest(values: Float32Array, length: number, edge: number): number[] {
  const places: { start: number; energy: number }[] = []
  for (
    let start = Math.min(edge, Math.max(0, values.length - length));
    start < values.length - Math.min(length / 4, values.length / 2);
    start += Math.max(1, Math.floor(length / 2))
  ) {
    let energy = 0
    for (let at = start; at < Math.min(values.length, start + length); at += 4) energy += values[at]! ** 2
    places.push({ start, energy })
  }
  const chosen: number[] = []
  for (const { start } of places.sort((a, b) => b.energy - a.energy))
    if (chosen.length < pieces && chosen.every(other => Math.abs(other - start) >= length)) chosen.push(start)
  return chosen
}

/** How like two whole sounds are at one lag; see `correlations`. Every other sample is plenty. */
function correlationAt(source: readonly number[], result: readonly number[], lag: number): number {
  let [sum, a, b] = [0, 0, 0]
  for (let at = Math.max(0, -lag), end = Math.min(result.length - lag, source.length); at < end; at += 2) {
    const [x, y] = [source[at]!, result[at + lag]!]
    sum += x * y
    a += x * x
    b += y * y
  }
  return a > 0 && b > 0 ? sum / Math.sqrt(a * b) : 0
}

/** A tone looks like itself turned over half a period later, so nothing is said of what is as like the right way round so near, in seconds. */
const toneReach = 0.03

function isTurnedOver(source: readonly number[], result: readonly number[], lag: number, rate: number): boolean {
  const sign = signAt(source, result, lag)
  if (sign >= -same) return false
  const most = Math.round(toneReach * rate)
  const size = Math.round(pieceSeconds * rate)
  const [start = 0] = loudest(Float32Array.from(source), size, 0)
  const near = { start, size, firstLag: lag - most, lastLag: lag + most }
  return correlations(source, result, near).every(value => value < nearlyAsGood * -sign)
}

/** Correlation of two channels around a lag: the strongest within a few samples. */
function signAt(source: readonly number[], result: readonly number[], lag: number): number {
  let strongest = 0
  for (let near = -2; near <= 2; near++) {
    const value = correlationAt(source, result, lag + near)
    if (Math.abs(value) > Math.abs(strongest)) strongest = value
  }
  return strongest
}
