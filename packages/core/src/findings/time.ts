import { describeClock } from '../format.ts'
import type { SourceFacts } from '../facts.ts'
import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { toNumber } from '../rational.ts'
import { finding, middle, moment, stretch, sureBeyond, type Finding, type FindingPlace } from './finding.ts'

/** A cut changes the picture by at least so many codes, and stands out from the frames around it by these factors in change and in histogram: by more in the second where it moves little of it. */
const cutChange = 6
const cutRules = [{ histogram: 0.2, histogramFactor: 20, changeFactor: 1.25 }, { histogram: 0.22, histogramFactor: 3, changeFactor: 1.8 }, { histogram: 0.07, histogramFactor: 8, changeFactor: 1.5 }]
/** A frame that changed by less than this part of what its neighbours do, or by less than this many codes, repeats the one before. */
const repeatPart = 0.08
const repeatCodes = 0.04
/** A frame that changed by less than this stands still: a small thing that moves in a still scene changes more. */
const stillCodes = 0.012
/** Windows that move less than this say nothing of repeated frames. */
const leastMotion = 0.25
const shortestStretchSeconds = 0.45

/** Which frames of a window are the first after a cut. */
export function cutsIn({ change, histogramChange }: MeasuredWindow): number[] {
  // Repeated frames beside a cut say nothing of the motion around it.
  const around = (values: readonly number[], index: number) => [values[index - 3], values[index - 2], values[index - 1], values[index + 1], values[index + 2], values[index + 3]].filter((value, place) => value !== undefined && change[index + [-3, -2, -1, 1, 2, 3][place]!]! > repeatCodes) as number[]
  return change.flatMap((value, index) => {
    if (value < cutChange) return []
    const usual = { change: middle(around(change, index)) || 0, histogram: middle(around(histogramChange, index)) || 0 }
    const moved = histogramChange[index]!
    return cutRules.some(rule => moved >= rule.histogram && moved >= rule.histogramFactor * usual.histogram && value >= rule.changeFactor * Math.max(0.5, usual.change)) ? [index] : []
  })
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
  const pieces = picture.windows.flatMap(window => runsOf(holds(window)).map(([first, last]) => ({ from: window.seconds[first]!, to: window.seconds[last]! + frame })))
  const joined: { from: number, to: number }[] = []
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
  const first = places.slice(0, 3).map(place => `${describeClock(place.seconds)}-${describeClock(place.until!)}`).join(', ')
  return `${places.length === 1 ? '' : `${places.length} stretches: `}${first}${places.length > 3 ? ' and more' : ''}${whole ? '' : ' (of what was sampled; it may go on outside)'}`
}

/** Frames of a sequence that have no file. */
export function missingFrameFindings({ missingFrames = [], video }: SourceFacts): Finding[] {
  if (missingFrames.length === 0 || !video) return []
  const rate = toNumber(video.frameRate)
  const count = missingFrames.reduce((sum, { from, to }) => sum + to - from + 1, 0)
  return [finding('missing-frames', 'fault', `${count} of ${video.frameCount} frames ${count === 1 ? 'has' : 'have'} no file; the frame before stands in for ${count === 1 ? 'it' : 'them'}.`, {
    value: count, unit: 'frames', places: missingFrames.map(({ from, to }) => stretch(from / rate, (to + 1) / rate)), suggests: 'Render the missing frames and read the sequence again',
  })]
}

/** What the succession of frames shows: cuts, repeated frames, black and frozen stretches, uneven times, an early end. @param inFields whether the frames are woven of fields: one that repeats is then no repeated frame */
export function timeFindings(facts: SourceFacts, picture: MeasuredPicture, inFields: boolean): Finding[] {
  const found: Finding[] = []
  const { windows, whole, times } = picture

  const cuts = windows.flatMap(window => cutsIn(window).map(index => window.seconds[index]!))
  const sampled = windows.reduce((sum, window) => sum + window.seconds.length, 0) / picture.framesPerSecond
  if (cuts.length > 0) {
    found.push(finding('cuts', 'nature', whole ? `${cuts.length} ${cuts.length === 1 ? 'cut' : 'cuts'}.` : `${cuts.length} ${cuts.length === 1 ? 'cut' : 'cuts'} in the ${sampled.toFixed(0)} s that were sampled.`, { value: cuts.length, unit: 'cuts', sure: 0.9, places: cuts.map(seconds => moment(seconds)) }))
  }

  if (!inFields) found.push(...repeatFindings(windows))

  const black = stretchesWhere(picture, window => window.seconds.map((_, index) => isBlackFrame(window, index)))
  if (black.length > 0) found.push(finding('black', 'fault', `Black: ${describeStretches(black, whole)}.`, { value: black.reduce((sum, place) => sum + place.until! - place.seconds, 0), unit: 's', sure: 0.95, places: black, suggests: 'Trim it off, or leave it' }))

  const frozen = stretchesWhere(picture, window => window.change.map((value, index) => index > 0 && value < stillCodes && !isBlackFrame(window, index)))
  const frozenSeconds = frozen.reduce((sum, place) => sum + place.until! - place.seconds, 0)
  if (frozen.length > 0 && frozenSeconds < 0.9 * sampled) found.push(finding('frozen', 'fault', `The picture stands still: ${describeStretches(frozen, whole)}.`, { value: frozenSeconds, unit: 's', sure: 0.85, places: frozen }))

  const uneven = times.short + times.long
  if (times.packetsRead > 10 && uneven > 0) {
    const part = uneven / (uneven + times.regular)
    const dropped = times.long > 0 && times.short === 0 && part < 0.05
    found.push(finding('variable-rate', 'fault', dropped
      ? `${times.long} ${times.long === 1 ? 'frame is' : 'frames are'} missing among the first ${times.packetsRead}: their times jump.`
      : `The frames are not evenly spaced: ${(part * 100).toFixed(part < 0.1 ? 1 : 0)} % of the first ${times.packetsRead} steps are longer or shorter than a frame.`,
    { value: uneven, unit: 'uneven steps', sure: 0.95, places: times.longAt.map(seconds => moment(seconds)), suggests: 'Bring it to a constant rate' }))
  }

  const errors = windows.filter(window => window.errors > 0)
  if (errors.length > 0) {
    const count = errors.reduce((sum, window) => sum + window.errors, 0)
    found.push(finding('decode-errors', 'fault', `The decoder reported ${count} ${count === 1 ? 'error' : 'errors'} in ${errors.length} of ${windows.length} windows.`, { value: count, unit: 'errors', sure: 0.95, places: errors.map(window => stretch(window.seconds[0]!, window.seconds.at(-1)!)), suggests: 'Copy it again from its carrier if there is one' }))
  }

  const promised = facts.durationSeconds ?? 0
  if (times.endSeconds !== null && promised - times.endSeconds > Math.max(0.5, promised * 0.01)) {
    found.push(finding('cut-short', 'fault', `The file promises ${describeClock(promised)} but its picture ends at ${describeClock(times.endSeconds)}.`, { value: promised - times.endSeconds, unit: 's', sure: 0.95, places: [moment(Math.max(0, times.endSeconds - 0.5))], suggests: 'Copy it again from its carrier if there is one' }))
  }
  return found
}

function repeatFindings(windows: readonly MeasuredWindow[]): Finding[] {
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
  if (frames < 20 || repeated < 2) return []
  const part = repeated / frames
  if (part < 0.02) return [finding('repeated-frames', 'fault', `${repeated} of ${frames} frames repeat the one before.`, { value: part * 100, unit: '% of frames', sure: 0.7, places, suggests: 'Drop the repeated frames' })]
  const every = middle(distances)
  const regular = distances.length >= 3 && distances.filter(distance => distance === every).length >= 0.75 * distances.length
  return [finding('repeated-frames', 'fault', regular ? `Every ${ordinal(every)} frame repeats the one before.` : `${Math.round(part * 100)} % of the frames repeat the one before.`, {
    value: part * 100, unit: '% of frames', sure: sureBeyond(part, 0.04), places, suggests: 'Drop the repeated frames',
  })]
}

function ordinal(number: number): string {
  return number === 2 ? 'second' : number === 3 ? 'third' : number === 4 ? 'fourth' : number === 5 ? 'fifth' : `${number}th`
}
