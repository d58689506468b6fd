import type { AudioFacts, SourceFacts, VideoFacts } from '../facts.ts'
import type { PlannedSource } from '../inventory.ts'
import { rational, nearestRational } from '../rational.ts'
import type { DeliverySpec } from '../spec/schema.ts'
import { CannotTreat, deriveTreatment } from '../treatment/index.ts'
import { RangeSum, scaled, studentQuantile, type Range } from '../range.ts'
import { likeRate, unitsOf, type KnownLike } from './by-like.ts'
import { extentOf, underCap, type JobExtent, type JobForecast } from './forecast.ts'

/** A measured source of any lot, done with a spec. */
export interface KnownOfSpec extends KnownLike {
  scan: 'progressive' | 'interlaced' | null
}

/** Results whose frames differ by more are not taken for alike, as long as there are others. */
const likeFrames = 2
/**
 * How unlike sources of one spec are, before any is known: standard deviations of the logarithms of what a job takes to begin, and of time and bytes for each
 * unit of work, counted like so many sources. What the codec makes of a picture is mostly the picture's own, also where nothing is lost; a format that fixes
 * the size leaves little (docs/measurements.md, "Announced material").
 */
const prior = { sources: 3, start: 0.3, time: 0.5, size: { 'by quality': 1.2, lossless: 0.8, 'by format': 0.2 } }

/** Sound as most sources have it; an inventory says nothing of it. */
const usualSound: AudioFacts = {
  streamIndex: 1,
  codec: 'pcm_s16le',
  profile: null,
  channels: 2,
  layout: 'stereo',
  sampleRate: 48_000,
  bitsPerSecond: 1_536_000,
  language: null,
  title: null,
}

/** Frames a second of a single picture, which has none. */
const stillRate = 25

/**
 * Facts of a source as an inventory announces it: with a length, a frame and a rate a moving picture with a track of sound, progressive where it does not say
 * otherwise; with a frame and neither of the others a single picture; with a length alone, sound.
 * @returns null where less is announced
 */
export function announcedFacts(planned: PlannedSource): SourceFacts | null {
  const { seconds, width, height, framesPerSecond, bytes } = planned
  const hasFrame = width !== null && height !== null
  const isStill = hasFrame && seconds === null && framesPerSecond === null
  const isMoving = hasFrame && seconds !== null && framesPerSecond !== null
  if (!isStill && seconds === null) return null
  const rate = framesPerSecond ?? stillRate
  const frameCount = isStill ? 1 : Math.round((seconds ?? 0) * rate)
  if (isMoving && frameCount < 1) return null
  return {
    container: '',
    bytes: bytes ?? 0,
    durationSeconds: seconds ?? 1 / rate,
    bitsPerSecond: null,
    video: isStill || isMoving ? announcedPicture(planned, { width: width!, height: height!, rate, frameCount }) : null,
    audio: isStill ? [] : [usualSound],
    subtitles: [],
    remarks: [],
  }
}

function announcedPicture(
  { codec, scan }: PlannedSource,
  { width, height, rate, frameCount }: { width: number; height: number; rate: number; frameCount: number },
): VideoFacts {
  return {
    streamIndex: 0,
    codec: codec ?? '',
    profile: null,
    width,
    height,
    pixelAspect: rational(1),
    frameRate: nearestRational(rate),
    rateIs: 'constant',
    frameCount,
    frameCountFrom: 'length',
    startTicks: 0,
    timeBase: rational(1, 90_000),
    scan: { kind: scan ?? 'progressive', firstField: null, framesRead: 0 },
    pixelFormat: 'yuv420p',
    bitDepth: 8,
    isRgb: false,
    chroma: '4:2:0',
    colour: { range: null, primaries: null, transfer: null, matrix: null },
    bitsPerSecond: null,
  }
}

/** What a job of announced material is, as far as it is known; null where too little is announced, or nothing comes of it with the spec. */
export function announcedExtent(planned: PlannedSource, spec: DeliverySpec): JobExtent | null {
  const facts = announcedFacts(planned)
  if (!facts) return null
  try {
    return extentOf({ spec, treatment: deriveTreatment(facts, spec) })
  } catch (error) {
    if (error instanceof CannotTreat) return null
    throw error
  }
}

/** What measured sources say of announced material with a spec: what a job takes whatever its length, and what each unit of its work. */
export interface AnnouncedRate {
  group: string
  count: number
  /** Seconds, whatever the length. */
  start: Next
  checkSecondsPerUnit: number
  busyCores?: number | undefined
  time: Next
  size: Next
}

/** What the next of some values is: its mean, and the range in which it lies nine times out of ten; and, relative to the mean, how far that itself may be off. */
interface Next {
  range: Range
  shared: number
}

/**
 * What measured sources, of whatever lot, say of announced material that is to be done with the same spec: those whose frames are as large and taken the same way,
 * where there are any, else all of them. Time and bytes for each unit of work are taken for lognormal, and what comes next of them by Student's t with the prior
 * above (the predictive distribution of the normal-inverse-gamma model, Murphy 2007), so that few sources say little.
 * @returns null where none was measured
 */
export function announcedRate(
  { scan }: Pick<PlannedSource, 'scan'>,
  { pixels, sizeIs }: Pick<JobExtent, 'pixels' | 'sizeIs'>,
  { key, video }: Pick<DeliverySpec, 'key' | 'video'>,
  known: readonly KnownOfSpec[],
): AnnouncedRate | null {
  const usable = known.filter(entry => unitsOf(entry.extent) > 0)
  const alike = ({ extent }: KnownOfSpec) =>
    pixels <= extent.pixels * likeFrames && extent.pixels <= pixels * likeFrames
  const sameScan = (entry: KnownOfSpec) => entry.scan === (scan ?? 'progressive')
  const group = [
    usable.filter(entry => alike(entry) && sameScan(entry)),
    usable.filter(alike),
    usable.filter(sameScan),
    usable,
  ].find(entries => entries.length > 0)
  const rate = group && likeRate(`announced with ${key}`, group)
  if (!rate) return null
  const each = (value: (entry: KnownOfSpec) => number) => group.map(entry => value(entry) / unitsOf(entry.extent))
  const { count, checkSecondsPerUnit, busyCores, startSeconds } = rate
  return {
    ...{ group: rate.group, count, checkSecondsPerUnit, busyCores },
    start: nextOf(
      group.map(({ measurement }) => Math.max(leastSeconds, measurement.startSeconds + (measurement.onceSeconds ?? 0))),
      prior.start,
    ),
    time: nextOf(
      each(({ forecast }) => Math.max(leastSeconds, forecast.seconds.expected - startSeconds)),
      prior.time,
    ),
    size: nextOf(
      each(({ forecast }) => Math.max(1, forecast.bytes.expected)),
      prior.size[video?.rateControl.kind === 'lossless' ? 'lossless' : sizeIs],
    ),
  }
}

/** The forecast of announced material, by what was measured with its spec. */
export function forecastAnnounced(rate: AnnouncedRate, extent: JobExtent): JobForecast {
  const { group, count, start, checkSecondsPerUnit, busyCores, time, size } = rate
  const units = unitsOf(extent)
  const seconds = new RangeSum()
  seconds.add(start.range)
  seconds.add(scaled(time.range, units))
  return {
    seconds: seconds.range(),
    bytes: underCap(scaled(size.range, units), extent.capBytes),
    checkSeconds: checkSecondsPerUnit * units,
    quality: null,
    ...(busyCores === undefined ? {} : { busyCores }),
    carried: { from: count, group, timePart: time.shared, sizePart: size.shared },
    measuredFrom: `not here yet: ${count === 1 ? 'one measured source' : `${count} measured sources`} with the same spec ${count === 1 ? 'stands' : 'stand'} for it`,
  }
}

/** Work is never taken for none. */
const leastSeconds = 1e-3

/** One more of values that are lognormal. @param deviation of their logarithms, before any is known */
function nextOf(values: readonly number[], deviation: number): Next {
  const logs = values.map(Math.log)
  const count = logs.length
  const middle = logs.reduce((sum, value) => sum + value, 0) / count
  const squares = logs.reduce((sum, value) => sum + (value - middle) ** 2, 0)
  const freedom = prior.sources + count - 1
  const spread = Math.sqrt((prior.sources * deviation ** 2 + squares) / freedom)
  const width = studentQuantile(freedom) * spread
  const at = (log: number) => Math.exp(middle + log)
  const one = width * Math.sqrt(1 + 1 / count)
  return {
    range: { expected: at(spread ** 2 / 2), low: at(-one), high: at(one) },
    shared: Math.expm1(width / Math.sqrt(count)),
  }
}
