import { describeClock } from '../format.ts'
import type { SourceFacts } from '../facts.ts'
import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { toNumber } from '../rational.ts'
import type { Jump } from '../course.ts'
import { describeRate } from '../timing.ts'
import { finding, middle, moment, stretch, sureBeyond, type Finding, type FindingPlace } from './finding.ts'
import { leastLines, type PictureKind } from './kind.ts'

/** A cut changes the picture by at least so many codes, and stands out from the frames around it by these factors in change and in histogram: by more in the second where it moves little of it. */
export const cutChange = 6
const cutRules = [
  { histogram: 0.2, histogramFactor: 20, changeFactor: 1.25 },
  { histogram: 0.22, histogramFactor: 3, changeFactor: 1.8 },
  { histogram: 0.07, histogramFactor: 8, changeFactor: 1.5 },
]
/** A sudden change of which more than this part still shows what it showed is no cut: a lamp was switched on, or a menu opened. */
const mostStaying = 0.6
/** A frame that changed by less than this part of what its neighbours do, or by less than this many codes, repeats the one before. */
const repeatPart = 0.08
const repeatCodes = 0.04
/** A frame that changed by less than this stands still: a small thing that moves in a still scene changes more. */
const stillCodes = 0.012
/** Windows that move less than this say nothing of repeated frames. */
const leastMotion = 0.25
const shortestStretchSeconds = 0.45

/** What tells of a sudden change. */
type Changes = Pick<MeasuredWindow, 'change' | 'histogramChange' | 'stays'>

/** Which frames of a window are the first after a cut. */
export function cutsIn(window: Changes): number[] {
  return breaksIn(window).filter(index => (window.stays?.[index] ?? 0) <= mostStaying)
}

/** Which frames of a window are the first after a sudden change, be it a cut or something in the picture. */
export function breaksIn({ change, histogramChange }: Changes): number[] {
  // Repeated frames beside a cut say nothing of the motion around it.
  const around = (values: readonly number[], index: number) =>
    [
      values[index - 3],
      values[index - 2],
      values[index - 1],
      values[index + 1],
      values[index + 2],
      values[index + 3],
    ].filter(
      (value, place) => value !== undefined && change[index + [-3, -2, -1, 1, 2, 3][place]!]! > repeatCodes,
    ) as number[]
  return change.flatMap((value, index) => {
    if (value < cutChange) return []
    const usual = { change: middle(around(change, index)) || 0, histogram: middle(around(histogramChange, index)) || 0 }
    const moved = histogramChange[index]!
    return cutRules.some(
      rule =>
        moved >= rule.histogram &&
        moved >= rule.histogramFactor * usual.histogram &&
        value >= rule.changeFactor * Math.max(0.5, usual.change),
    )
      ? [index]
      : []
  })
}

/** Times of the first frames behind all cuts of a source, in seconds; null where only places of it were looked at. */
export function cutsOf({ cuts, windows, whole }: MeasuredPicture): readonly number[] | null {
  return cuts ?? (whole ? cutsInWindows(windows) : null)
}

function cutsInWindows(windows: readonly MeasuredWindow[]): number[] {
  return windows.flatMap(window => cutsIn(window).map(index => window.seconds[index]!))
}

/** Which frames of a window repeat the one before; null for a window that hardly moves. */
export function repeatsIn({ change }: MeasuredWindow): boolean[] | null {
  const moving = change.slice(1).filter(value => value > repeatCodes)
  const usual = middle(moving)
  if (!(usual > leastMotion)) return null
  return change.map((value, index) => index > 0 && value < Math.max(repeatCodes, usual * repeatPart))
}

/** Runs of frames that fulfil a condition, as first and last index. */
function runsOf(flags: readonly boolean[]): [first: number, last: number][] {
  const runs: [number, number][] = []
  for (const [index, flag] of flags.entries()) {
    if (!flag) continue
    const open = runs.at(-1)
    if (open && open[1] === index - 1) open[1] = index
    else runs.push([index, index])
  }
  return runs
}

/** Stretches of at least half a second in which a condition holds; stretches of windows that follow each other are joined. */
function stretchesWhere(picture: MeasuredPicture, holds: (window: MeasuredWindow) => boolean[]): FindingPlace[] {
  const frame = 1 / picture.framesPerSecond
  const pieces = picture.windows.flatMap(window =>
    runsOf(holds(window)).map(([first, last]) => ({ from: window.seconds[first]!, to: window.seconds[last]! + frame })),
  )
  const joined: { from: number; to: number }[] = []
  for (const piece of pieces) {
    const open = joined.at(-1)
    if (open && piece.from - open.to < frame * 0.5) open.to = piece.to
    else joined.push({ ...piece })
  }
  return joined.filter(({ from, to }) => to - from >= shortestStretchSeconds).map(({ from, to }) => stretch(from, to))
}

/** Black with the noise of a bad copy. */
const isBlackFrame = (window: MeasuredWindow, index: number) => window.high[index]! <= 40 && window.mean[index]! <= 24

function describeStretches(places: readonly FindingPlace[], whole: boolean): string {
  const first = places
    .slice(0, 3)
    .map(place => `${describeClock(place.seconds)}-${describeClock(place.until!)}`)
    .join(', ')
  return `${places.length === 1 ? '' : `${places.length} stretches: `}${first}${places.length > 3 ? ' and more' : ''}${whole ? '' : ' (of what was sampled; it may go on outside)'}`
}

/** Frames of a sequence that have no file. */
export function missingFrameFindings({ missingFrames = [], video }: SourceFacts): Finding[] {
  if (missingFrames.length === 0 || !video) return []
  const rate = toNumber(video.frameRate)
  const count = missingFrames.reduce((sum, { from, to }) => sum + to - from + 1, 0)
  return [
    finding(
      'missing-frames',
      'fault',
      `${count} of ${video.frameCount} frames ${count === 1 ? 'has' : 'have'} no file; the frame before stands in for ${count === 1 ? 'it' : 'them'}.`,
      {
        value: count,
        unit: 'frames',
        places: missingFrames.map(({ from, to }) => stretch(from / rate, (to + 1) / rate)),
        suggests: 'Render the missing frames and read the sequence again',
      },
    ),
  ]
}

/** What the succession of frames shows: cuts, repeated frames, black and frozen stretches, uneven times, an early end. @param inFields whether the frames are woven of fields: one that repeats is then no repeated frame */
export function timeFindings(
  facts: SourceFacts,
  picture: MeasuredPicture,
  inFields: boolean,
  kind: PictureKind | null,
): Finding[] {
  const found: Finding[] = []
  const { windows, whole, times } = picture

  const all = cutsOf(picture)
  const cuts = all ?? cutsInWindows(windows)
  const sampled = windows.reduce((sum, window) => sum + window.seconds.length, 0) / picture.framesPerSecond
  if (cuts.length > 0) {
    found.push(
      finding(
        'cuts',
        'nature',
        all
          ? `${cuts.length} ${cuts.length === 1 ? 'cut' : 'cuts'}.`
          : `${cuts.length} ${cuts.length === 1 ? 'cut' : 'cuts'} in the ${sampled.toFixed(0)} s that were sampled.`,
        { value: cuts.length, unit: 'cuts', sure: 0.9, places: cuts.map(seconds => moment(seconds)) },
      ),
    )
  }

  // On screens and slides frames that stand still are as they should be.
  const standsByNature = kind === 'screen' || kind === 'slides'
  if (!inFields && !standsByNature && picture.height >= leastLines)
    found.push(...repeatFindings(windows, kind === 'drawn'))

  const black = stretchesWhere(picture, window => window.seconds.map((_, index) => isBlackFrame(window, index)))
  if (black.length > 0)
    found.push(
      finding('black', 'fault', `Black: ${describeStretches(black, whole)}.`, {
        value: black.reduce((sum, place) => sum + place.until! - place.seconds, 0),
        unit: 's',
        sure: 0.95,
        places: black,
        suggests: 'Trim it off, or leave it',
      }),
    )

  const frozen = stretchesWhere(picture, window =>
    window.change.map((value, index) => index > 0 && value < stillCodes && !isBlackFrame(window, index)),
  )
  const frozenSeconds = frozen.reduce((sum, place) => sum + place.until! - place.seconds, 0)
  if (frozen.length > 0 && frozenSeconds < 0.9 * sampled && kind !== 'screen' && kind !== 'slides')
    found.push(
      finding('frozen', 'fault', `The picture stands still: ${describeStretches(frozen, whole)}.`, {
        value: frozenSeconds,
        unit: 's',
        sure: 0.85,
        places: frozen,
      }),
    )

  found.push(...courseFindings(facts, times), ...sizeFindings(picture))

  const errors = windows.filter(window => window.errors > 0)
  if (errors.length > 0) {
    const count = errors.reduce((sum, window) => sum + window.errors, 0)
    found.push(
      finding(
        'decode-errors',
        'fault',
        `The decoder reported ${count} ${count === 1 ? 'error' : 'errors'} in ${errors.length} of ${windows.length} windows.`,
        {
          value: count,
          unit: 'errors',
          sure: 0.95,
          places: errors.map(window => stretch(window.seconds[0]!, window.seconds.at(-1)!)),
          suggests: 'Copy it again from its carrier if there is one',
        },
      ),
    )
  }

  found.push(...shortFindings(facts, times))
  return found
}

const tornSeconds = 0.5

/** Gaps, jumps and uneven times, as the packets have them; of sources that were not counted, as their first packets do. */
function courseFindings(
  { video, jumps, promised, durationSeconds }: SourceFacts,
  times: MeasuredPicture['times'],
): Finding[] {
  const found: Finding[] = []
  if (jumps && jumps.length > 0) {
    const [first] = jumps as [Jump]
    const words = `${Math.abs(first.by).toFixed(2)} s ${first.by < 0 ? 'back' : 'ahead'} at ${describeClock(first.seconds)}`
    found.push(
      finding(
        'jumps',
        'fault',
        jumps.length === 1
          ? `The times of the ${first.of} jump ${words}; the material goes on without a gap.`
          : `The times jump at ${jumps.length} places, first by ${words}; the material goes on without gaps.`,
        {
          value: jumps.length,
          unit: 'jumps',
          sure: 0.95,
          places: jumps.map(({ seconds }) => moment(seconds)),
        },
      ),
    )
  }
  const { gaps } = video ?? {}
  // Where a file breaks off, the last pictures that it holds lie apart.
  const isTorn =
    (promised?.frames ?? 0) > (video?.frameCount ?? 0) &&
    gaps?.places.every(({ seconds }) => seconds > (durationSeconds ?? 0) - tornSeconds)
  if (gaps && gaps.count > 0 && !isTorn) {
    found.push(
      finding(
        'gaps',
        'fault',
        `${gaps.count === 1 ? 'A gap' : `${gaps.count} gaps`} in which no new picture comes, ${gaps.seconds.toFixed(2)} s in all${gaps.places.length > 0 ? `, first at ${describeClock(gaps.places[0]!.seconds)}` : ''}; the rate is constant otherwise.`,
        {
          value: gaps.seconds,
          unit: 's',
          sure: 0.95,
          places: gaps.places.map(({ seconds, length }) => stretch(seconds, seconds + length)),
        },
      ),
    )
  }
  const isCounted = video?.frameCountFrom === 'packets'
  const uneven = times.short + times.long
  if (isCounted ? video.rateIs === 'variable' : times.packetsRead > 10 && uneven > 0) {
    const part = uneven / Math.max(1, uneven + times.regular)
    found.push(
      finding(
        'variable-rate',
        'fault',
        isCounted && video.averageRate
          ? `The frames are not evenly spaced: ${describeRate(video.frameRate)} fps where they are densest, ${video.averageRate.toFixed(2)} on average.`
          : `The frames are not evenly spaced: ${(part * 100).toFixed(part < 0.1 ? 1 : 0)} % of the first ${times.packetsRead} steps are longer or shorter than a frame.`,
        {
          value: uneven,
          unit: 'uneven steps',
          sure: 0.95,
          places: times.longAt.map(seconds => moment(seconds)),
          suggests: 'Bring it to a constant rate',
        },
      ),
    )
  }
  return found
}

function sizeFindings({ sizes, width, height }: MeasuredPicture): Finding[] {
  if (!sizes || sizes.length < 2) return []
  return [
    finding(
      'size-change',
      'fault',
      `Frames change their size in the middle: ${sizes.join(', ')}. All are brought to ${width}x${height}, keeping their shape.`,
      { value: sizes.length, unit: 'sizes', sure: 0.95 },
    ),
  ]
}

/** Frames that are missing from what the container promises before a word is said, as a part, and seconds. */
const shortPart = 0.01
const shortSeconds = 0.5

/** What a container promises and its packets do not hold. Where nothing but an estimate of ours is promised, nothing is said. */
function shortFindings({ promised, durationSeconds, video }: SourceFacts, times: MeasuredPicture['times']): Finding[] {
  const { endSeconds } = times
  if (endSeconds === null || !video) return []
  const seconds = promised ? (promised.seconds ?? 0) : (durationSeconds ?? 0)
  const isCounted = promised !== undefined && promised.frames !== null
  const held = video.frameCount + (video.repeats ?? 0)
  const framesShort = isCounted ? promised.frames! - held : 0
  // Where frames are promised, they decide; containers round the rest.
  const isShort = isCounted
    ? framesShort > Math.max(3, promised.frames! * shortPart)
    : seconds - endSeconds > Math.max(shortSeconds, seconds * shortPart) + 1.5 / toNumber(video.frameRate) && held > 2
  if (!isShort) return []
  return [
    finding(
      'cut-short',
      'fault',
      isCounted
        ? `The file promises ${promised.frames} frames and holds ${held}: its picture ends at ${describeClock(endSeconds)}.`
        : `The file promises ${describeClock(seconds)} but its picture ends at ${describeClock(endSeconds)}.`,
      {
        value: Math.max(0, seconds - endSeconds),
        unit: 's',
        sure: 0.95,
        places: [moment(Math.max(0, endSeconds - 0.5))],
        suggests: 'Copy it again from its carrier if there is one',
      },
    ),
  ]
}

/** @param isDrawn whether frames that stand still now and then are as drawn; then only a pattern counts */
function repeatFindings(windows: readonly MeasuredWindow[], isDrawn: boolean): Finding[] {
  let [repeated, frames] = [0, 0]
  const places: FindingPlace[] = []
  const distances: number[] = []
  for (const window of windows) {
    const repeats = repeatsIn(window)
    if (!repeats) continue
    // Long runs are a frozen picture, which is another matter; one at the window's end may be the beginning of such.
    const single = runsOf(repeats).filter(([first, last]) => last - first < 4 && last < repeats.length - 1)
    repeated += single.reduce((sum, [first, last]) => sum + last - first + 1, 0)
    frames += repeats.length - 1
    for (let index = 1; index < single.length; index++) distances.push(single[index]![0] - single[index - 1]![0])
    if (single.length > 0) places.push(moment(window.seconds[single[0]![0]]!))
  }
  if (frames < 20 || repeated < 1) return []
  const part = repeated / frames
  if (part < 0.02 && !isDrawn)
    return [
      finding(
        'repeated-frames',
        'fault',
        `${repeated} of ${frames} frames ${repeated === 1 ? 'repeats' : 'repeat'} the one before.`,
        { value: part * 100, unit: '% of frames', sure: 0.7, places, data: { every: null } },
      ),
    ]
  const every = middle(distances)
  const regular =
    distances.length >= 3 && distances.filter(distance => distance === every).length >= 0.75 * distances.length
  if (isDrawn && !regular) return []
  return [
    finding(
      'repeated-frames',
      'fault',
      regular
        ? `Every ${ordinal(every)} frame repeats the one before.`
        : `${Math.round(part * 100)} % of the frames repeat the one before.`,
      {
        value: part * 100,
        unit: '% of frames',
        sure: sureBeyond(part, 0.04),
        places,
        suggests: 'Drop the repeated frames',
        data: { every: regular ? every : null },
      },
    ),
  ]
}

function ordinal(number: number): string {
  return number === 2
    ? 'second'
    : number === 3
      ? 'third'
      : number === 4
        ? 'fourth'
        : number === 5
          ? 'fifth'
          : `${number}th`
}
