import { z } from 'zod'
import { Account } from './account.ts'
import { describeCodec } from './codec-names.ts'
import { ColourDescription } from './colour.ts'
import { levelProblem, levelRank, lowestLevel, pictureCodec, sameProfile, soundCodecs } from './codecs/index.ts'
import { containerFacts, describeContainer, outputKind } from './spec/container.ts'
import { describeVideoCodec } from './spec/words.ts'
import type { DeliverySpec, PictureSpec, SoundSpec, SpecSound } from './spec/schema.ts'
import { accountLines } from './account-words.ts'
import { chaptersWithin, plannedChapters } from './chapters.ts'
import { Chapter, TrackRole, type SourceFacts } from './facts.ts'
import { describeLanguage, languageOf } from './languages.ts'
import { asCopied } from './picture-copy.ts'
import { copiesSound } from './sound-copy.ts'
import { plannedSubtitles } from './subtitles/index.ts'
import { findingNames, type Finding, type FindingKey } from './findings/finding.ts'
import { describeBytes, describeClock } from './format.ts'
import { Glances } from './glance.ts'
import { targetTolerance } from './quality-target.ts'
import { equal, Rational, toNumber } from './rational.ts'
import { describeRate } from './timing.ts'
import {
  deliveredFacts,
  leftInBy,
  plainTimeline,
  resultSeconds,
  soundDelay,
  stepKinds,
  type PictureTreatment,
  type SoundTreatment,
  type Treatment,
} from './treatment/index.ts'

/** Of a track that was to be copied: its packets and the source's, and how many are not the same, or of a picture shown at other times. */
const Copy = z.object({ packets: z.int(), sourcePackets: z.int(), different: z.int() })
type Copy = z.infer<typeof Copy>

/** Whether a track was copied, and every packet is the source's own. */
export const isUntouched = (copy: Copy | undefined): boolean =>
  copy !== undefined && copy.different === 0 && copy.packets === copy.sourcePackets

const AnyMeasurement = z.object({
  container: z.string(),
  bytes: z.int().min(0),
  sourceBytes: z.int().min(0),
  sha256: z.string().length(64),
  sourceDecodeErrors: z.int().min(0),
  audio: z.array(
    z.object({
      copy: Copy.optional(),
      codec: z.string(),
      channels: z.int(),
      sampleRate: z.int(),
      durationSeconds: z.number().min(0),
      decodeErrors: z.int().min(0),
    }),
  ),
  /** The subtitle tracks of the result, each beside the source's that it is to be. Absent in checks of before there were any. */
  subtitles: z
    .array(
      z.object({
        codec: z.string(),
        language: z.string().nullable(),
        roles: z.array(TrackRole),
        /** Texts, or pictures of text; and those of the source that lie in what is kept of it. */
        count: z.int().min(0),
        sourceCount: z.int().min(0),
        /** How many say other words than the source's, or are other pictures. */
        different: z.int().min(0),
        /** Furthest that one begins from where it should, in seconds. */
        furthest: z.number().min(0),
      }),
    )
    .optional(),
  /** As the result's file has them; absent in checks of before there were any. */
  chapters: z.array(Chapter).optional(),
  /** Where every picture and second of the source went; absent in checks of before it was drawn up. */
  account: Account.optional(),
  /** What both pictures show by themselves. */
  glances: Glances.optional(),
})

/** What decoding a whole result with a picture, beside its treated source, measured. */
export const PictureCheckMeasurement = AnyMeasurement.extend({
  video: z.object({
    codec: z.string(),
    profile: z.string().nullable(),
    /** As the standard writes it, or null where the stream states none. */
    level: z.string().nullable(),
    width: z.int(),
    height: z.int(),
    pixelAspect: Rational,
    frameRate: Rational,
    pixelFormat: z.string(),
    colour: ColourDescription,
    interlaced: z.boolean(),
    framesDecoded: z.int().min(0),
    decodeErrors: z.int().min(0),
    durationSeconds: z.number().min(0),
    /** Time of the first frame, in ticks of `timeBase`. */
    startTicks: z.int(),
    timeBase: Rational,
  }),
  copy: Copy.optional(),
  /** Frames that the treated source gave when it was decoded again for comparison. */
  treatedFrames: z.int().min(0),
  /** Sound tracks of the source, with the length that decoded. */
  sourceAudioSeconds: z.array(z.number().min(0)),
  /** Structural similarity of luma, mean over frames and the worst frame; null when nothing could be compared. */
  ssim: z.object({ mean: z.number(), worst: z.number(), worstFrame: z.int() }).nullable(),
  /** Perceptually weighted PSNR of luma in dB (Helmrich and others, 2020), from the mean error over frames; null for identical pictures. */
  xpsnr: z.object({ mean: z.number(), worst: z.number(), worstFrame: z.int() }).nullable(),
  /** Whether every compared frame was identical. */
  identical: z.boolean(),
})
export type PictureCheckMeasurement = z.infer<typeof PictureCheckMeasurement>

/** What decoding a whole result of sound alone, beside its treated source, measured. */
export const SoundCheckMeasurement = AnyMeasurement.extend({
  video: z.null(),
  likeness: z.array(
    z.object({
      /** The track as its treated source gives it. */
      treatedSeconds: z.number().min(0),
      sampleRate: z.int().positive(),
      channels: z.int().positive(),
      /** Whether all samples are equal at 24 bits, and the level of the difference below the sound in dB; null for equal or silent ones. */
      identical: z.boolean(),
      signalToNoise: z.number().nullable(),
    }),
  ),
})
export type SoundCheckMeasurement = z.infer<typeof SoundCheckMeasurement>

/** What decoding a whole result, beside its treated source, measured. `video` is null where there is no picture. */
export const CheckMeasurement = z.union([PictureCheckMeasurement, SoundCheckMeasurement])
export type CheckMeasurement = z.infer<typeof CheckMeasurement>

export const Verdict = z.enum(['pass', 'look', 'fail'])
export type Verdict = z.infer<typeof Verdict>

export const CheckLine = z.object({
  name: z.string(),
  expected: z.string(),
  found: z.string(),
  verdict: Verdict,
  /** Why it is not a pass, as a sentence; null on a pass. */
  reason: z.string().nullable(),
})
export type CheckLine = z.infer<typeof CheckLine>

export const Check = z.object({ verdict: Verdict, lines: z.array(CheckLine), measurement: CheckMeasurement })
export type Check = z.infer<typeof Check>

/** SSIM of luma under which a person should look, and XPSNR likewise: well below what the built-in specs reach on ordinary material. */
const lookBelow = { ssim: 0.9, xpsnr: 30 }

const countErrors = (count: number) => (count === 0 ? 'no errors' : `${count} ${count === 1 ? 'error' : 'errors'}`)

type AddLine = (
  name: string,
  expected: string,
  found: string,
  ok: boolean,
  reason: string,
  otherwise?: 'look' | 'fail',
) => void

/** Findings of what a source lacks, which no step brings back. */
const damage = new Set<FindingKey>(['cut-short', 'decode-errors', 'unreadable', 'missing-frames'])

/**
 * Judges a measured result against its spec and treatment, line by line; the worst line is the verdict.
 * @param source its facts and what was found of it, where a fault that was left in is to be said
 */
export function judge<Measured extends CheckMeasurement>(
  measured: Measured,
  spec: DeliverySpec,
  treatment: Treatment,
  source: { facts: SourceFacts; findings: readonly Finding[] } | null = null,
): Check & { measurement: Measured } {
  const lines: CheckLine[] = []
  const add: AddLine = (name, expected, found, ok, reason, otherwise = 'fail') =>
    lines.push({ name, expected, found, verdict: ok ? 'pass' : otherwise, reason: ok ? null : reason })
  if (measured.video === null && spec.video === null && treatment.result === null)
    judgeSound(add, measured, spec, treatment)
  else if (measured.video !== null && spec.video !== null && treatment.result !== null)
    judgePicture(add, measured, judgedSpec(spec, treatment, source?.facts ?? null), treatment, source?.facts ?? null)
  else
    throw new TypeError(
      'A measurement, its spec and its treatment must all be of a result with a picture, or of one without.',
    )
  if (source) judgeTextTracks(add, measured, spec, treatment, source.facts)
  for (const line of measured.account ? accountLines(measured.account, treatment, measured.glances) : [])
    add(
      line.name,
      line.expected,
      line.found,
      line.verdict === 'pass',
      line.reason,
      line.verdict === 'look' ? 'look' : 'fail',
    )
  for (const entry of source?.findings ?? [])
    if (damage.has(entry.key))
      add(
        findingNames[entry.key],
        'none in the source',
        'in the source',
        false,
        `${entry.says} The result has what there is.`,
        'look',
      )
  if (source)
    for (const { finding, step } of leftInBy(source.facts, source.findings, spec, treatment))
      add(
        findingNames[finding.key],
        'not left in',
        'left in',
        false,
        `${finding.says} It is still there: nothing was done about it. ${stepKinds[step.kind].name} would have cured it.`,
        'look',
      )
  const rate = spec.video?.rateControl
  add(
    'bytes',
    rate?.kind === 'size cap'
      ? `at most ${describeBytes(rate.bytes)}; source ${describeBytes(measured.sourceBytes)}`
      : `source ${describeBytes(measured.sourceBytes)}`,
    rate?.kind === 'size cap'
      ? `${describeBytes(measured.bytes)}, ${((100 * measured.bytes) / rate.bytes).toFixed(1)} % of the cap`
      : `${describeBytes(measured.bytes)}`,
    measured.bytes > 0 && (rate?.kind !== 'size cap' || measured.bytes <= rate.bytes),
    measured.bytes > 0 ? 'The file is larger than the spec allows.' : 'The file is empty.',
  )
  const verdict = lines.some(line => line.verdict === 'fail')
    ? 'fail'
    : lines.some(line => line.verdict === 'look')
      ? 'look'
      : 'pass'
  return { verdict, lines, measurement: measured }
}

/** A text may begin so far from where it should, in seconds: tracks count in milliseconds, and two at one moment are set one apart. */
const textTolerance = 0.05

/** Lines on subtitles and chapters, where the spec or the result has any. */
function judgeTextTracks(
  add: AddLine,
  measured: CheckMeasurement,
  spec: DeliverySpec,
  treatment: Treatment,
  facts: SourceFacts,
): void {
  const { tracks } = plannedSubtitles(facts, spec, treatment.timeline)
  const found = measured.subtitles ?? []
  if (tracks.length > 0 || found.length > 0)
    add(
      'subtitle tracks',
      `${tracks.length}`,
      `${found.length}`,
      found.length === tracks.length,
      'A subtitle track was lost or added. Make it again.',
    )
  const words = (language: string | null) => (language === null ? 'no language stated' : describeLanguage(language))
  tracks.forEach((track, index) => {
    const result = found[index]
    if (!result) return
    const of = tracks.length > 1 ? ` ${index + 1}` : ''
    const roles = (list: readonly string[] | undefined) => (list?.length ? ` (${[...list].sort().join(', ')})` : '')
    add(
      `subtitles${of}`,
      `${describeCodec(track.to)}, ${words(track.language)}${roles(track.roles)}`,
      `${describeCodec(result.codec)}, ${words(result.language)}${roles(result.roles)}`,
      result.codec === track.to &&
        languageOf(result.language) === languageOf(track.language) &&
        roles(result.roles) === roles(track.roles),
      'The subtitle track is another than the spec asks for.',
    )
    add(
      `subtitles${of} kept`,
      `${result.sourceCount}`,
      result.different > 0 ? `${result.count}, ${result.different} of them others` : `${result.count}`,
      result.count === result.sourceCount && result.different === 0,
      'Subtitles were lost, added or changed between the source and the result.',
    )
    if (result.count > 0)
      add(
        `subtitles${of} in step`,
        `within ${textTolerance} s`,
        `${result.furthest.toFixed(3)} s at most`,
        result.furthest <= textTolerance,
        'A subtitle is shown at another time than in the source.',
      )
  })
  const seconds = measured.video === null ? (measured.audio[0]?.durationSeconds ?? 0) : measured.video.durationSeconds
  const planned = chaptersWithin(plannedChapters(facts, spec, treatment.timeline), seconds)
  const chapters = measured.chapters ?? []
  if (planned.length === 0 && chapters.length === 0) return
  const differs = planned.filter(
    (chapter, index) =>
      Math.abs((chapters[index]?.from ?? Number.POSITIVE_INFINITY) - chapter.from) > textTolerance ||
      (chapter.title !== null && chapters[index]?.title !== chapter.title),
  )
  add(
    'chapters',
    `${planned.length}`,
    differs.length > 0 ? `${chapters.length}, ${differs.length} of them elsewhere` : `${chapters.length}`,
    chapters.length === planned.length && differs.length === 0,
    'The chapters are not those of the source. Make it again.',
  )
}

/** Lines on how a sound track was made: whether it decodes and its codec. @param of what stands after "sound" in their names */
function judgeTrack(
  add: AddLine,
  of: string,
  track: CheckMeasurement['audio'][number],
  audio: Pick<SpecSound, 'codec'>,
): void {
  // Errors of a track whose packets are all the source's are the source's.
  const hasItsFaults = isUntouched(track.copy)
  add(
    `sound${of} decodes`,
    'no errors',
    countErrors(track.decodeErrors),
    track.decodeErrors === 0,
    hasItsFaults
      ? 'The sound of the source is damaged, and was copied as it is.'
      : 'The sound cannot be decoded whole. Make it again.',
    hasItsFaults ? 'look' : 'fail',
  )
  add(
    `sound${of} codec`,
    describeCodec(audio.codec),
    describeCodec(track.codec),
    track.codec === audio.codec,
    'The sound is in another codec than the spec asks for.',
  )
}

const wrongSoundShape = 'Sample rate or channels do not meet the spec.'
const soundShape = ({ sampleRate, channels }: { sampleRate: number; channels: number }) =>
  `${sampleRate} Hz, ${channels} ch`

/** Codecs that give back what they were given. */
const losslessSound = new Set(soundCodecs.filter(codec => codec.isLossless).map(codec => codec.key))
/** Ends of a coded track are rounded to whole packets; what is longer apart was lost. */
const soundTolerance = { lossless: 0.001, coded: 0.1 }
/** Difference below the sound, in dB, under which a person should listen; what the built-in codecs leave is well above on ordinary sound. */
const listenBelow = 6
/** A file's stated length and that of its sound may differ by so many seconds before somebody should look. */
const statedTolerance = 0.5

function judgeSound(add: AddLine, measured: SoundCheckMeasurement, spec: SoundSpec, treatment: SoundTreatment): void {
  add(
    'container',
    describeContainer(spec.container),
    measured.container,
    measured.container.toLowerCase() === describeContainer(spec.container).toLowerCase(),
    'The file is in another container than the spec asks for.',
  )
  add(
    'sound tracks',
    `${treatment.tracks.length}`,
    `${measured.audio.length}`,
    measured.audio.length === treatment.tracks.length,
    'A sound track was lost.',
  )
  add(
    'source decodes',
    'no errors',
    countErrors(measured.sourceDecodeErrors),
    measured.sourceDecodeErrors === 0,
    'The source itself is damaged; listen to the result where it is.',
    'look',
  )
  measured.audio.forEach((track, index) => {
    const of = measured.audio.length > 1 ? ` ${index + 1}` : ''
    const likeness = measured.likeness[index]
    if (!likeness) return
    const isLossless = losslessSound.has(spec.audio.codec)
    const tolerance = isLossless ? soundTolerance.lossless : soundTolerance.coded
    add(
      `sound${of} length`,
      describeClock(likeness.treatedSeconds),
      describeClock(track.durationSeconds),
      likeness.treatedSeconds > 0 && Math.abs(track.durationSeconds - likeness.treatedSeconds) <= tolerance,
      'Sound was lost or added between the source and the result.',
    )
    add(
      `source${of} length`,
      describeClock(treatment.seconds),
      describeClock(likeness.treatedSeconds),
      Math.abs(likeness.treatedSeconds - treatment.seconds) <= statedTolerance,
      likeness.treatedSeconds < treatment.seconds
        ? 'The sound is shorter than the source says: it may be cut short or damaged, or end before the picture.'
        : 'The sound is longer than the source says, or than its picture.',
      'look',
    )
    judgeTrack(add, of, track, spec.audio)
    add(
      `sound${of} rate`,
      soundShape(likeness),
      soundShape(track),
      track.sampleRate === likeness.sampleRate && track.channels === likeness.channels,
      wrongSoundShape,
    )
    if (isLossless)
      add(
        `sound${of} likeness`,
        'identical',
        likeness.identical ? 'every sample identical' : 'differs',
        likeness.identical,
        'A lossless result must be identical to its treated source.',
      )
    else if (likeness.identical || likeness.signalToNoise === null)
      add(
        `sound${of} likeness`,
        'close',
        likeness.identical ? 'every sample identical' : 'the source is silent',
        likeness.identical,
        'The source is silent and the result is not; listen to it.',
        'look',
      )
    else
      add(
        `sound${of} likeness`,
        `difference at least ${listenBelow} dB below`,
        `${likeness.signalToNoise.toFixed(1)} dB below`,
        likeness.signalToNoise >= listenBelow,
        'The result is far from its source; listen to it.',
        'look',
      )
  })
}

/** The line on a track that was to be copied: its packets beside the source's. */
function addUntouched(add: AddLine, name: string, copy: Copy | undefined, what: 'picture' | 'sound'): void {
  add(
    name,
    `${copy?.sourcePackets ?? 'all'} packets of the source`,
    copy?.different ? `${copy.packets}, ${copy.different} of them others` : `${copy?.packets ?? 'unknown'}`,
    isUntouched(copy),
    `The ${what} was to be copied untouched and is not the same. Make it again.`,
  )
}

/** What a picture is held to: one that was copied, to be its source's own in every frame. */
function judgedSpec(spec: PictureSpec, treatment: PictureTreatment, facts: SourceFacts | null): PictureSpec {
  return treatment.copied && facts?.video ? asCopied(spec, facts.video) : spec
}

function judgePicture(
  add: AddLine,
  measured: PictureCheckMeasurement,
  spec: PictureSpec,
  treatment: PictureTreatment,
  source: SourceFacts | null,
): void {
  const { video } = measured
  const { result } = treatment
  // What a source has lost, its copy has lost too.
  const hasItsFaults =
    treatment.copied === true && video.framesDecoded > 0 && video.decodeErrors <= measured.sourceDecodeErrors

  add(
    'container',
    describeContainer(spec.container),
    measured.container,
    measured.container.toLowerCase() === describeContainer(spec.container).toLowerCase(),
    'The file is in another container than the spec asks for.',
  )
  add(
    'decodes',
    'whole, no errors',
    video.decodeErrors === 0
      ? `${video.framesDecoded} ${video.framesDecoded === 1 ? 'frame' : 'frames'}, no errors`
      : countErrors(video.decodeErrors),
    video.decodeErrors === 0 && video.framesDecoded > 0,
    hasItsFaults
      ? 'The source is damaged, and its picture was copied as it is.'
      : 'The result cannot be decoded whole. Make it again.',
    hasItsFaults ? 'look' : 'fail',
  )
  if (treatment.copied) addUntouched(add, 'picture untouched', measured.copy, 'picture')
  add(
    'frames',
    `${measured.treatedFrames}`,
    `${video.framesDecoded}`,
    video.framesDecoded === measured.treatedFrames,
    'Frames were lost or doubled between the source and the result.',
  )
  const missing = result.frameCount - measured.treatedFrames
  // An estimate of ours is no promise of the source's. Counted frames that did not decode are.
  if (!result.isEstimate)
    add(
      'source frames',
      `${result.frameCount}`,
      `${measured.treatedFrames}`,
      Math.abs(missing) <= 2,
      missing > 0
        ? `By its times the source should give ${result.frameCount} frames but gave ${measured.treatedFrames}: some are damaged, or cut short.`
        : `The source gave ${-missing} frames more than it was counted to have.`,
      'look',
    )
  add(
    'source decodes',
    'no errors',
    countErrors(measured.sourceDecodeErrors),
    measured.sourceDecodeErrors === 0,
    'The source itself is damaged; look at the result where it is.',
    'look',
  )

  const length = measured.treatedFrames / toNumber(result.rate)
  const frameSeconds = 1 / toNumber(result.rate)
  const isStill = outputKind(spec) === 'still'
  if (!isStill)
    add(
      'length',
      describeClock(length),
      describeClock(video.durationSeconds),
      Math.abs(video.durationSeconds - length) <= 1.5 * frameSeconds,
      'The length differs by more than a frame.',
    )
  measured.audio.forEach((track, index) => {
    const of = measured.audio.length > 1 ? ` ${index + 1}` : ''
    // Sound that was moved ends so much later or earlier.
    const moved = soundDelay(treatment)
    const difference = track.durationSeconds - video.durationSeconds - moved
    const sourceSeconds = measured.sourceAudioSeconds[index]
    const sourceDifference =
      (sourceSeconds === undefined
        ? video.durationSeconds
        : resultSeconds(treatment.timeline ?? plainTimeline, sourceSeconds)) - length
    const tolerance = Math.max(0.1, 2 * frameSeconds)
    const words = (seconds: number) =>
      Math.abs(seconds) < 0.0005 ? 'equal' : `${Math.abs(seconds).toFixed(3)} s ${seconds > 0 ? 'longer' : 'shorter'}`
    add(
      `sound${of} length`,
      `within ${tolerance.toFixed(2)} s of picture${moved === 0 ? '' : `, moved by ${moved} s`}`,
      words(difference),
      Math.abs(difference) <= tolerance,
      Math.abs(difference - sourceDifference) <= tolerance
        ? 'Sound and picture differ in length, as they do in the source.'
        : 'Sound and picture differ in length, and did not in the source.',
      Math.abs(difference - sourceDifference) <= tolerance ? 'look' : 'fail',
    )
    // What the spec leaves out is counted below.
    if (spec.audio === null) return
    const kept = source && deliveredFacts(source, treatment).audio[index]
    const isCopied = kept && source && copiesSound(kept, source, spec, treatment)
    judgeTrack(add, of, track, isCopied ? kept : spec.audio)
    if (isCopied) addUntouched(add, `sound${of} untouched`, track.copy, 'sound')
    const most = kept?.mixed ? 2 : spec.audio.maxChannels
    add(
      `sound${of} rate`,
      `${spec.audio.sampleRate} Hz${kept?.mixed ? ', stereo' : ''}`,
      soundShape(track),
      track.sampleRate === spec.audio.sampleRate && track.channels <= most,
      wrongSoundShape,
    )
  })
  add(
    'sound tracks',
    `${measured.sourceAudioSeconds.length}`,
    `${measured.audio.length}`,
    measured.audio.length === measured.sourceAudioSeconds.length,
    'A sound track was lost.',
  )

  const codecOk = video.codec === spec.video.codec
  add(
    'codec',
    describeVideoCodec(spec.video.codec),
    describeCodec(video.codec),
    codecOk,
    'The picture is in another codec than the spec asks for.',
  )
  if (spec.video.profile && video.profile !== null)
    add(
      'profile',
      spec.video.profile,
      video.profile,
      sameProfile(video.profile, spec.video.codec, spec.video.profile),
      'The profile is not the one the spec asks for.',
    )
  const codec = pictureCodec(spec.video.codec)
  const { levels } = codec
  const profile = codec.profiles.find(entry => entry.key === spec.video.profile)
  if (spec.video.level && levels) {
    const problem = levelProblem(codec, spec.video.level, video, video.frameRate)
    const [stated, most] = [levelRank(codec.key, video.level), levelRank(codec.key, spec.video.level)]
    const isLow = levels.statedAs === null || (stated !== null && most !== null && stated <= most)
    add(
      'level',
      `at most ${spec.video.level}`,
      levels.statedAs === null && problem === null
        ? `${lowestLevel(codec, video, video.frameRate)} by its frames`
        : (video.level ?? 'not stated'),
      isLow && problem === null,
      problem ?? 'The stream states a higher level than the spec allows.',
    )
  }
  add(
    'frame size',
    `${result.frame.width}x${result.frame.height}`,
    `${video.width}x${video.height}`,
    video.width === result.frame.width && video.height === result.frame.height,
    'The frame has another size than planned.',
  )
  const aspect = (value: Rational) => `${value.num}:${value.den}`
  add(
    'pixel aspect',
    aspect(result.frame.pixelAspect),
    aspect(video.pixelAspect),
    Math.abs(toNumber(video.pixelAspect) / toNumber(result.frame.pixelAspect) - 1) < 1e-3,
    'The picture would show in another shape.',
  )
  if (!isStill)
    add(
      'frame rate',
      `${describeRate(result.rate)} fps`,
      `${describeRate(video.frameRate)} fps`,
      equal(video.frameRate, result.rate) || Math.abs(toNumber(video.frameRate) / toNumber(result.rate) - 1) < 1e-4,
      'The frame rate is not the planned one.',
    )
  // Material that is interlaced in part stays so in a copy.
  if (!isStill && !treatment.copied)
    add(
      'scan',
      result.scan === 'progressive' ? 'progressive' : 'interlaced',
      video.interlaced ? 'interlaced' : 'progressive',
      video.interlaced === (result.scan !== 'progressive'),
      'The fields are not flagged as planned.',
    )
  const pixelFormat = profile?.decodesAs ?? result.pixelFormat
  add(
    'pixel format',
    pixelFormat,
    video.pixelFormat,
    video.pixelFormat === pixelFormat,
    'Bit depth or chroma sampling is not the planned one.',
  )
  // Files of single pictures imply their colours.
  if (result.colour.matrix !== 'gbr' && outputKind(spec) === 'moving picture') {
    const tags = [video.colour.primaries, video.colour.transfer, video.colour.matrix]
    const wanted = [result.colour.primaries, result.colour.transfer, result.colour.matrix]
    // Not every container states colours, and a copied stream says no more than it did.
    const mayBeOpen = treatment.copied === true || containerFacts(spec.container).statesNoColour === true
    add(
      'colour tags',
      wanted.join(' / '),
      tags.map(tag => tag ?? 'none').join(' / '),
      tags.every(
        (tag, index) =>
          sameTag(tag, wanted[index]!) ||
          (tag === null && mayBeOpen) ||
          (index === 1 && sameCurve(tag, wanted[index]!)),
      ),
      'Players would show other colours: the tags are not the planned ones.',
    )
  }

  if (measured.identical) {
    add(
      'likeness',
      spec.video.rateControl.kind === 'lossless' ? 'identical' : 'close',
      'every frame identical',
      true,
      '',
    )
  } else {
    if (spec.video.rateControl.kind === 'lossless')
      add(
        'likeness',
        'identical',
        'differs',
        false,
        treatment.copied
          ? 'A picture that is copied must be identical to its source.'
          : 'A lossless result must be identical to its treated source.',
      )
    if (measured.ssim)
      add(
        'SSIM',
        `over ${lookBelow.ssim}`,
        `${measured.ssim.mean.toFixed(4)} (worst ${measured.ssim.worst.toFixed(4)})`,
        measured.ssim.mean >= lookBelow.ssim,
        'The result is far from its source; look at the worst frame.',
        'look',
      )
    if (measured.xpsnr) {
      const { mean, worst } = measured.xpsnr
      const { rateControl } = spec.video
      const target = rateControl.kind === 'quality target' ? rateControl.xpsnr : null
      add(
        'XPSNR',
        target === null ? `over ${lookBelow.xpsnr} dB` : `${target} dB, within ${targetTolerance} dB`,
        `${mean.toFixed(1)} dB (worst ${worst.toFixed(1)})`,
        target === null ? mean >= lookBelow.xpsnr : Math.abs(mean - target) <= targetTolerance,
        target === null
          ? 'The result is far from its source; look at the worst frame.'
          : mean < target
            ? 'The result is below the quality that the spec asks for, even at the best setting that comes near it. Choose more effort, or another codec.'
            : 'The result is better than the spec asks for: even the coarsest setting of the codec that was tried is. It may be larger than it need be.',
        'look',
      )
    }
    if (!measured.ssim && !measured.xpsnr)
      add('likeness', 'compared', 'nothing to compare', false, 'No frame could be compared with the source.')
  }
}

/** Whether two transfers are one: those of BT.709, BT.601 and BT.2020 are the same curve (H.273, codes 1, 6, 14 and 15), and MXF has one label for it. */
function sameCurve(found: string | null, wanted: string): boolean {
  const curves = ['bt709', 'smpte170m', 'bt2020-10', 'bt2020-12']
  return found !== null && curves.includes(found) && curves.includes(wanted)
}

/** Whether a tag says the same: BT.601's two names for one matrix and one curve are equal (H.273 codes 5 and 6). */
function sameTag(found: string | null, wanted: string): boolean {
  return (
    found === wanted ||
    (found === 'bt470bg' && wanted === 'smpte170m') ||
    (found === 'smpte170m' && wanted === 'bt470bg')
  )
}
