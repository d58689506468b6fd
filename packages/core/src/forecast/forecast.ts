import { z } from 'zod'
import { meanWithError, rangeAround, Range, studentQuantile } from '../range.ts'
import { isUncompressed, soundCodec } from '../codecs/index.ts'
import { Container, containerFacts } from '../spec/container.ts'
import { soundOf, type DeliverySpec } from '../spec/schema.ts'
import { togetherXpsnr } from '../quality-target.ts'
import { toNumber, type Rational } from '../rational.ts'
import { leastOfCap } from '../size-cap.ts'
import { hasPicture, keyframeDistance, planOf, treatedSeconds, type Treatment } from '../treatment/index.ts'

/** How like its treated source a stretch is. */
export const StretchQuality = z.object({
  /** Mean of the errors of its frames, in dB; null where every frame is identical. */
  xpsnr: z.number().nullable(),
  ssim: z.number(),
})
export type StretchQuality = z.infer<typeof StretchQuality>

/** The same of several stretches together. */
export const ForecastQuality = StretchQuality.extend({
  /** Of the stretch that suffers most. */
  worstXpsnr: z.number().nullable(),
})
export type ForecastQuality = z.infer<typeof ForecastQuality>

/** One stretch of a source that was really treated, encoded and checked with the spec. */
export const SampleWindow = z.object({
  startSeconds: z.number().min(0),
  /** Frames of the result made from the stretch. */
  frames: z.int().positive(),
  /** Decode, treat and learn what the frames need, where a size is kept in two passes. */
  firstPassSeconds: z.number().positive().optional(),
  /** Decode, treat and encode, sound aside. */
  encodeSeconds: z.number().positive(),
  /** Decode the result, treat the source again and compare. */
  checkSeconds: z.number().min(0),
  /** Bytes of picture packets by kind. The first packet is a keyframe only because the stretch starts there. */
  firstKeyframeBytes: z.int().min(0),
  otherKeyframes: z.int().min(0),
  otherKeyframeBytes: z.int().min(0),
  interFrames: z.int().min(0),
  interBytes: z.int().min(0),
  /** What the stretch's file had besides its packets and what its container adds to each; absent in measurements of before it was kept. */
  headBytes: z.int().min(0).optional(),
  /** Absent in measurements of before it was kept. */
  quality: StretchQuality.optional(),
})
export type SampleWindow = z.infer<typeof SampleWindow>

/** One stretch of a source's sound that was really taken out and checked with a spec of sound alone. */
export const SoundWindow = z.object({
  startSeconds: z.number().min(0),
  /** Length of the result made from the stretch. */
  seconds: z.number().positive(),
  encodeSeconds: z.number().positive(),
  checkSeconds: z.number().min(0),
  bytes: z.int().min(0),
  packets: z.int().min(0),
})
export type SoundWindow = z.infer<typeof SoundWindow>

/** What a sample encode measured; kept as measured, so that the arithmetic can change without measuring again. */
export const SampleMeasurement = z.object({
  /** Empty for a spec of sound alone, which has `soundWindows`. */
  windows: z.array(SampleWindow),
  soundWindows: z.array(SoundWindow).optional(),
  /** What a file has besides its packets, whatever its length, where that was measured. */
  headBytes: z.int().min(0).optional(),
  /** Sound of all tracks together, per second of material. */
  soundBytesPerSecond: z.number().min(0),
  soundPacketsPerSecond: z.number().min(0),
  soundSecondsPerSecond: z.number().min(0),
  /** What checking takes once, whatever the length; older measurements do not have it. */
  onceSeconds: z.number().min(0).optional(),
  /** What finding the setting of a measured quality took, once a job; only where it is to be found. */
  searchSeconds: z.number().min(0).optional(),
  /** Of a picture that is copied: how many frames really were; of the others the packets were counted. */
  copiedFrames: z.int().positive().optional(),
  /** From the task's start until the first frame was asked for. */
  startSeconds: z.number().min(0),
  /** Processor time over wall time of the stretches; absent in measurements of before it was kept. */
  busyCores: z.number().positive().optional(),
  /** Machine it was measured on, in words. */
  machine: z.string(),
  /** Wall time of the whole measurement. */
  tookSeconds: z.number().positive(),
})
export type SampleMeasurement = z.infer<typeof SampleMeasurement>

/** What the whole job is, as far as time and size depend on it. */
export const JobExtent = z.object({
  /** 0 for sound alone. */
  frames: z.int().min(0),
  /** Of one frame of the result; 0 for sound alone. */
  pixels: z.int().min(0),
  durationSeconds: z.number().min(0),
  /** Longest keyframe distance in frames; 1 when every frame is a keyframe. */
  keyframeDistance: z.number().positive(),
  container: Container,
  /** What decides the size of a frame: the quality to be held, or the format (a profile's rate, losslessness). */
  sizeIs: z.enum(['by quality', 'by format']),
  /** Most bytes that the result may have. */
  capBytes: z.int().positive().optional(),
  /** Whether it can be made in segments, by several lanes; absent where that was not asked. */
  isDivisible: z.boolean().optional(),
})
export type JobExtent = z.infer<typeof JobExtent>

/** The extent of a job from what was worked out for it. @throws TypeError when spec and treatment do not belong together */
export function extentOf(job: { spec: DeliverySpec; treatment: Treatment }): JobExtent {
  const common = { durationSeconds: treatedSeconds(job.treatment), container: job.spec.container }
  const plan = planOf(job)
  if (hasPicture(plan)) {
    const { spec, treatment } = plan
    const { rateControl } = spec.video
    return {
      ...common,
      frames: treatment.result.frameCount,
      pixels: treatment.result.frame.width * treatment.result.frame.height,
      // All bytes of a picture that is copied are counted, so its keyframes need not be told from the others.
      keyframeDistance: treatment.copied ? Number.MAX_SAFE_INTEGER : keyframeDistance(spec, treatment),
      sizeIs:
        !treatment.copied && (rateControl.kind === 'constant quality' || rateControl.kind === 'quality target')
          ? 'by quality'
          : 'by format',
      ...(rateControl.kind === 'size cap' && !treatment.copied ? { capBytes: rateControl.bytes } : {}),
    }
  }
  // The size of FLAC follows the sound; a stated rate, or PCM, is what it is.
  const sound = soundCodec(soundOf(job.spec).codec)
  return {
    ...common,
    frames: 0,
    pixels: 0,
    keyframeDistance: 1,
    sizeIs: sound.isLossless && !isUncompressed(sound) ? 'by quality' : 'by format',
  }
}

export const JobForecast = z.object({
  seconds: Range,
  bytes: Range,
  /** What it was worked out from, as a sentence. */
  measuredFrom: z.string(),
  /** Seconds of checking within `seconds`. */
  checkSeconds: z.number().min(0),
  /** How like its treated source the result will be; null for sound alone, and where it was not measured of this very source. */
  quality: ForecastQuality.nullable(),
  /**
   * Set when not this source was measured but others that are like it: how many, a name of their group, and the relative errors that all
   * forecasts carried over from them have in common.
   */
  carried: z
    .object({ from: z.int().positive(), group: z.string(), timePart: z.number(), sizePart: z.number() })
    .nullable(),
  /** Set when its ranges are those of finished work: of how many results. */
  heldAgainst: z.int().positive().optional(),
  /** Cores that it keeps busy while it has the machine to itself, as `seconds` says; absent where that was not measured. */
  busyCores: z.number().positive().optional(),
  /** Of a job that is done: how many times as long as alone it took because of what ran beside it, by what that and it keep busy. */
  slowing: z.number().min(1).optional(),
})
export type JobForecast = z.infer<typeof JobForecast>

/**
 * Least relative half-widths until enough work of a kind is finished to tell them, by what runs of the demo batch were off: stretches pay for filling and
 * draining the encoder more often than a whole job does, and other work on the machine makes runs differ.
 */
export const leastTimePart = 0.25
/** An encoder that holds quality spends more or less where a whole file lets it look further ahead than a stretch does. */
export const leastSizePart = { 'by quality': 0.2, 'by format': 0.04 }
/** Half-width when only one stretch was measured, so that nothing is known of the spread. */
const singleWindowPart = 0.5
/** Relative error that all jobs of a batch share: the machine is busier or freer than when it was measured. It is a part of each job's own range. */
export const sharedTimePart = 0.08

/** Relative half-width of a mean over windows that stand for a whole of which they are the part `coverage`. */
function relativeHalfWidth(values: readonly number[], coverage: number): number {
  const { mean, error } = meanWithError(values)
  if (mean === 0) return 0
  if (error === null) return coverage >= 1 ? 0 : singleWindowPart
  // Finite population: windows that cover nearly all leave little to be wrong about.
  return (studentQuantile(values.length - 1) * error * Math.sqrt(Math.max(0, 1 - coverage))) / mean
}

/**
 * Expected time and size of a whole job from a sample encode of its source.
 *
 * Time is seconds per frame of the windows times the frames, plus sound and start. Size counts keyframes and other frames apart,
 * because each window starts with a keyframe that the whole file will not have there: keyframes are expected at the larger of
 * the natural frequency seen inside windows (cuts) and the spec's longest distance.
 */
export function forecastJob(sample: SampleMeasurement, extent: JobExtent): JobForecast {
  if (sample.soundWindows) return forecastSound(sample, sample.soundWindows, extent)
  const { windows } = sample
  const sampledFrames = windows.reduce((sum, window) => sum + window.frames, 0)
  const coverage = Math.min(1, sampledFrames / Math.max(1, extent.frames))

  const encodePerFrame = windows.map(window => window.encodeSeconds / window.frames)
  const perFrame = sum(windows, 'encodeSeconds') / sampledFrames
  const checkPerFrame = sum(windows, 'checkSeconds') / sampledFrames
  const checkSeconds = checkPerFrame * extent.frames + (sample.onceSeconds ?? 0)
  const firstPass = windows.reduce((sum, window) => sum + (window.firstPassSeconds ?? 0), 0) / sampledFrames
  const seconds =
    sample.startSeconds +
    (sample.searchSeconds ?? 0) +
    (firstPass + perFrame) * extent.frames +
    checkSeconds +
    sample.soundSecondsPerSecond * extent.durationSeconds
  // What misses its size or its quality is made once more.
  const onceMore =
    sample.searchSeconds !== undefined
      ? perFrame * extent.frames + checkSeconds
      : extent.capBytes !== undefined
        ? perFrame * extent.frames
        : 0
  const timed = sample.copiedFrames === undefined ? coverage : sample.copiedFrames / Math.max(1, extent.frames)
  const range = rangeAround(seconds, Math.max(leastTimePart, relativeHalfWidth(encodePerFrame, timed)))

  const otherKeyframes = sum(windows, 'otherKeyframes')
  const interFrames = sum(windows, 'interFrames')
  const keyframeBytes =
    (sum(windows, 'firstKeyframeBytes') + sum(windows, 'otherKeyframeBytes')) / (windows.length + otherKeyframes)
  const interBytes = interFrames > 0 ? sum(windows, 'interBytes') / interFrames : keyframeBytes
  const naturalShare = otherKeyframes / Math.max(1, otherKeyframes + interFrames)
  const keyframes = Math.min(
    extent.frames,
    Math.max(extent.frames / extent.keyframeDistance, 1 + extent.frames * naturalShare),
  )
  const pictureBytes = keyframes * keyframeBytes + (extent.frames - keyframes) * interBytes
  const soundBytes = sample.soundBytesPerSecond * extent.durationSeconds
  const packets = extent.frames + sample.soundPacketsPerSecond * extent.durationSeconds
  const headBytes = Math.min(...windows.map(window => window.headBytes ?? 0))
  const bytes = headBytes + pictureBytes + soundBytes + packets * containerFacts(extent.container).bytesPerPacket
  const perFrameBytes = windows.map(window => {
    const share = keyframes / Math.max(1, extent.frames)
    const keys = (window.firstKeyframeBytes + window.otherKeyframeBytes) / (1 + window.otherKeyframes)
    const inter = window.interFrames > 0 ? window.interBytes / window.interFrames : keys
    return share * keys + (1 - share) * inter
  })
  const sizePart = Math.max(
    leastSizePart[extent.sizeIs],
    relativeHalfWidth(perFrameBytes, coverage) * (pictureBytes / bytes),
  )

  return {
    seconds: { ...range, high: range.high + onceMore },
    bytes: underCap(rangeAround(bytes, sizePart), extent.capBytes),
    checkSeconds,
    quality: qualityOf(windows),
    carried: null,
    ...(sample.busyCores === undefined ? {} : { busyCores: sample.busyCores }),
    measuredFrom:
      sample.copiedFrames !== undefined
        ? `${sampledFrames} of ${extent.frames} packets counted, ${sample.copiedFrames} copied and checked on ${sample.machine} in ${sample.tookSeconds.toFixed(0)} s`
        : `${sampledFrames} of ${extent.frames} frames in ${windows.length} ${windows.length === 1 ? 'stretch' : 'stretches'}, encoded and checked on ${sample.machine} in ${sample.tookSeconds.toFixed(0)} s`,
  }
}

/** Likeness of stretches together, each counting by its frames; null where it was not kept of all of them. */
export function qualityOf(windows: readonly SampleWindow[]): ForecastQuality | null {
  const known = windows.flatMap(({ frames, quality }) =>
    quality ? [{ frames, ssim: quality.ssim, xpsnr: quality.xpsnr ?? Number.POSITIVE_INFINITY }] : [],
  )
  if (known.length === 0 || known.length < windows.length) return null
  const frames = known.reduce((sum, window) => sum + window.frames, 0)
  const finite = (decibels: number) => (Number.isFinite(decibels) ? decibels : null)
  return {
    xpsnr: finite(togetherXpsnr(known)),
    worstXpsnr: finite(Math.min(...known.map(({ xpsnr }) => xpsnr))),
    ssim: known.reduce((sum, window) => sum + window.frames * window.ssim, 0) / frames,
  }
}

/** "38.2 dB XPSNR, 35.0 in the worst stretch; SSIM 0.9731", or that it is identical. */
export function describeQuality({ xpsnr, worstXpsnr, ssim }: ForecastQuality): string {
  if (xpsnr === null) return 'identical to the treated picture'
  return `${xpsnr.toFixed(1)} dB XPSNR, ${worstXpsnr!.toFixed(1)} in the worst stretch; SSIM ${ssim.toFixed(4)}`
}

/** Expected time and size of taking out sound: seconds and bytes for each second of material, as the stretches had them. */
function forecastSound(sample: SampleMeasurement, windows: readonly SoundWindow[], extent: JobExtent): JobForecast {
  const total = (key: 'seconds' | 'encodeSeconds' | 'checkSeconds' | 'bytes' | 'packets') =>
    windows.reduce((all, window) => all + window[key], 0)
  const sampled = total('seconds')
  const coverage = Math.min(1, sampled / Math.max(0.001, extent.durationSeconds))
  const scale = extent.durationSeconds / sampled
  const timePart = Math.max(
    leastTimePart,
    relativeHalfWidth(
      windows.map(window => (window.encodeSeconds + window.checkSeconds) / window.seconds),
      coverage,
    ),
  )
  const sizePart = Math.max(
    leastSizePart[extent.sizeIs],
    relativeHalfWidth(
      windows.map(window => window.bytes / window.seconds),
      coverage,
    ),
  )
  return {
    seconds: rangeAround(sample.startSeconds + (total('encodeSeconds') + total('checkSeconds')) * scale, timePart),
    bytes: rangeAround(
      (sample.headBytes ?? 0) +
        (total('bytes') + total('packets') * containerFacts(extent.container).bytesPerPacket) * scale,
      sizePart,
    ),
    checkSeconds: total('checkSeconds') * scale,
    quality: null,
    carried: null,
    ...(sample.busyCores === undefined ? {} : { busyCores: sample.busyCores }),
    measuredFrom: `${sampled.toFixed(0)} of ${extent.durationSeconds.toFixed(0)} s of sound in ${windows.length} ${windows.length === 1 ? 'stretch' : 'stretches'}, encoded and checked on ${sample.machine} in ${sample.tookSeconds.toFixed(0)} s`,
  }
}

/**
 * A size that a cap bounds. What comes near it fills it, as passes are made until it does; what stays far below may need no more.
 */
export function underCap(bytes: Range, capBytes: number | undefined): Range {
  if (capBytes === undefined) return bytes
  const least = capBytes * leastOfCap
  if (bytes.expected < capBytes * farFromCap) return { ...bytes, high: capBytes }
  const low = bytes.expected < capBytes * nearCap ? Math.min(least, bytes.low) : least
  return { expected: (least + capBytes) / 2, low, high: capBytes }
}
/** Stretches that come so near to the cap's rate had use for all their bits; those that stay so far from it, hardly. */
const nearCap = 0.8
const farFromCap = 0.5

function sum(
  windows: readonly SampleWindow[],
  key: Exclude<keyof SampleWindow, 'startSeconds' | 'firstPassSeconds' | 'headBytes' | 'quality'>,
): number {
  return windows.reduce((total, window) => total + window[key], 0)
}

/**
 * Where to sample: starts (seconds) of `count` windows of a length, one in the middle of each equal part of the source, in an
 * order that stays spread out if it is cut short (van der Corput sequence).
 * A source shorter than all windows together gives one window over the whole.
 */
export function sampleStarts(durationSeconds: number, windowSeconds: number, count: number): number[] {
  if (durationSeconds <= windowSeconds * count) return [0]
  const part = durationSeconds / count
  const order = Array.from({ length: count }, (_, index) => index).sort((a, b) => vanDerCorput(a) - vanDerCorput(b))
  return order.map(index => index * part + (part - windowSeconds) / 2)
}

/** The same as stretches of a result, in its frames; all of them where they are fewer. */
export function sampleStretches(
  { frameCount, rate }: { frameCount: number; rate: Rational },
  stretchSeconds: number,
  count: number,
): { firstFrame: number; frames: number }[] {
  const framesPerSecond = toNumber(rate)
  const starts = sampleStarts(frameCount / framesPerSecond, stretchSeconds, count)
  if (starts.length === 1) return [{ firstFrame: 0, frames: frameCount }]
  const frames = Math.max(1, Math.round(stretchSeconds * framesPerSecond))
  return starts.map(start => ({ firstFrame: Math.round(start * framesPerSecond), frames }))
}

function vanDerCorput(index: number): number {
  let [value, denominator] = [0, 1]
  for (let rest = index; rest > 0; rest = Math.floor(rest / 2)) {
    denominator *= 2
    value += (rest % 2) / denominator
  }
  return value
}
