import {
  assumedColour,
  completeColour,
  describeColourTag,
  isHighRange,
  targetColour,
  type FullColourDescription,
} from '../colour.ts'
import { pictureCodec, type PictureCodec } from '../codecs/index.ts'
import {
  containerFacts,
  containerRateProblem,
  describeContainer,
  holdsOneTrack,
  outputKind,
} from '../spec/container.ts'
import { describeAudioCodec } from '../spec/words.ts'
import type { DeliverySpec, PictureSpec, SoundSpec } from '../spec/schema.ts'
import {
  describePixelFormat,
  isEstimated,
  spannedFrames,
  type AudioFacts,
  type SourceFacts,
  type VideoFacts,
} from '../facts.ts'
import { describeTimes } from '../format.ts'
import {
  describeAspect,
  displayAspect,
  fitExactly,
  fitFrame,
  pixelAspectFor,
  roundToMultiple,
  type StoredFrame,
} from '../geometry.ts'
import { describeLanguage, languageOf } from '../languages.ts'
import { chooseBurnt } from '../subtitles/burnt.ts'
import { plannedSubtitles } from '../subtitles/planned.ts'
import { compare, divide, equal, multiply, rational, type Rational, toNumber } from '../rational.ts'
import { plannedCapProblem } from '../size-cap.ts'
import { asCopied, whyNotCopied } from '../picture-copy.ts'
import { copiesSound } from '../sound-copy.ts'
import { describeRate, framesIn } from '../timing.ts'
import { arrangeSteps } from './order.ts'
import { type Step, stepKinds, type StepOf } from './step.ts'
import { plainTimeline, resultSeconds, type Timeline } from './timeline.ts'
import {
  type AppliedStep,
  type PictureTreatment,
  type SoundTreatment,
  type Treatment,
  soundDelay,
} from './treatment.ts'
import { describeScan, losslessPixelFormat } from './words.ts'

/** A source that a spec cannot be made from; the message is a sentence for the technician. */
export class CannotTreat extends Error {}

/** Largest side of a picture between steps, and most pixels: an 8K frame. */
const largestSide = 16_384
const mostPixels = 7680 * 4320

/** The picture between two steps. */
interface Passing {
  frame: StoredFrame
  rate: Rational
  scan: PictureTreatment['result']['scan']
  timeline: Timeline
}

/** Steps that an interlaced picture survives: they neither move lines nor mix them. */
const harmlessToFields = new Set<Step['kind']>([
  'trim',
  'soften-mark',
  'scratches',
  'crop',
  'aspect',
  'grade',
  'lookup-table',
  'black-and-white',
  'high-range',
])

/**
 * What is done to a source so that a spec comes out of it: the chosen steps, and around them what the spec wants.
 * @param chosen steps of a treatment, in any order
 * @throws CannotTreat when the source lacks what the spec is made of, the steps cannot be done, or the result would break the spec.
 */
export function deriveTreatment(facts: SourceFacts, spec: PictureSpec, chosen?: readonly Step[]): PictureTreatment
export function deriveTreatment(facts: SourceFacts, spec: SoundSpec, chosen?: readonly Step[]): SoundTreatment
export function deriveTreatment(facts: SourceFacts, spec: DeliverySpec, chosen?: readonly Step[]): Treatment
export function deriveTreatment(facts: SourceFacts, spec: DeliverySpec, chosen: readonly Step[] = []): Treatment {
  const arranged = arrangeSteps(chosen)
  if (arranged.refused.length > 0) throw new CannotTreat(arranged.refused.join(' '))
  return spec.video === null ? treatSound(facts, spec, arranged.steps) : treatPicture(facts, spec, arranged.steps)
}

/** Sound that begins so long before the picture is worth a word, in seconds; coders begin a little early anyway. */
const earlySound = 0.05

/** How long sound is heard before the picture's first frame, in seconds: what a result of sound alone keeps. */
export function soundLead({ video, audio }: Pick<SourceFacts, 'video' | 'audio'>): number {
  const lead = video ? Math.max(0, ...audio.map(track => -(track.startSeconds ?? 0))) : 0
  return lead > earlySound ? lead : 0
}

/** When the last track ends, from time 0; the source's own length where that is not known of all. */
function soundSeconds({ audio, durationSeconds }: SourceFacts): number {
  const ends = audio.map(track => track.endSeconds)
  return ends.every(end => end !== undefined) ? Math.max(0, ...ends) : (durationSeconds ?? 0)
}

/** Steps that change when something is heard; the other ones of the picture leave the sound as it is. */
const movesTime = new Set<Step['kind']>(['trim', 'speed'])

/** Whether samples of a source have more to keep than a codec does: a float of 32 bits has 24 of its own, and room above full scale. */
function hasMoreThan(codec: string, source: string): boolean {
  if (codec === 'aac' || (codec === 'pcm_f32le' && source.startsWith('pcm_f32'))) return false
  return /^pcm_[sf](32|64)/.test(source)
}

function treatSound(facts: SourceFacts, spec: SoundSpec, chosen: readonly Step[]): SoundTreatment {
  if (facts.audio.length === 0) throw new CannotTreat(`${spec.name} needs sound, and this source has none.`)
  const [sound, others] = [chosen.filter(isOfSound), chosen.filter(step => !isOfSound(step))]
  const lead = others.some(step => step.kind === 'trim') ? 0 : soundLead(facts)
  const seconds = soundSeconds(facts) + lead
  let timeline = plainTimeline
  for (const step of others) {
    if (step.kind === 'trim') timeline = trimmed(timeline, step, seconds)
    if (step.kind === 'speed') timeline = { ...timeline, speed: timeline.speed * step.factor }
  }
  const ruled = tracksByRule(facts, spec, sound)
  const kept = sound.find(step => step.kind === 'keep-tracks')
  const there = ruled?.tracks ?? (kept?.tracks ?? [...facts.audio.keys()]).filter(index => index < facts.audio.length)
  if (there.length === 0)
    throw new CannotTreat(`${spec.name} needs a sound track, and Keep tracks keeps none of this source's. Keep one.`)
  const tracks = holdsOneTrack(spec.container) ? there.slice(0, 1) : there
  const ofPicture = others.filter(step => !movesTime.has(step.kind)).map(step => stepKinds[step.kind].name)
  return {
    steps: [],
    result: null,
    tracks,
    seconds: Math.max(0, resultSeconds(timeline, seconds) + soundDelay({ sound })),
    ...(timeline === plainTimeline ? {} : { timeline }),
    ...(sound.length === 0 ? {} : { sound }),
    leftOut: [
      ...(ruled?.notes ?? []),
      ...(lead > 0
        ? [`The sound begins ${lead.toFixed(2)} s before the picture; that is kept, and the result begins there.`]
        : []),
      ...(tracks.length < there.length
        ? [
            `${describeContainer(spec.container)} holds one track: track ${tracks[0]! + 1} of ${facts.audio.length} is taken. Keep tracks chooses another.`,
          ]
        : []),
      ...(tracks.some(index => hasMoreThan(spec.audio.codec, facts.audio[index]!.codec))
        ? [`${describeAudioCodec(spec.audio.codec)} keeps 24 bits here; this source has more in each sample.`]
        : []),
      ...(ofPicture.length > 0 ? [`The spec has no picture, so these steps do nothing: ${ofPicture.join(', ')}.`] : []),
    ],
  }
}

/**
 * Tracks that a spec's languages keep, in their order, with those behind that state no language, without commentary where it stays out. A choice of tracks that a person made goes before.
 * @returns null where nothing is ruled
 * @throws CannotTreat when no track would be left
 */
function tracksByRule(
  { audio }: SourceFacts,
  { name, audio: rule }: DeliverySpec,
  sound: readonly Step[],
): { tracks: number[]; notes: string[] } | null {
  if (!rule || audio.length === 0 || sound.some(step => step.kind === 'keep-tracks')) return null
  const spoken = audio.map((track, index) => ({ track, index }))
  const said = rule.commentary ? spoken.filter(({ track }) => track.roles?.includes('commentary')) : []
  if (!rule.languages && said.length === 0) return null
  const all = spoken
    .filter(entry => !said.includes(entry))
    .map(({ track, index }) => ({ language: languageOf(track.language), index }))
  const wanted = rule.languages
    ? rule.languages.flatMap(tag => all.filter(({ language }) => language !== null && language === languageOf(tag)))
    : all
  const unstated = rule.languages ? all.filter(({ language }) => language === null) : []
  const tracks = [...wanted, ...unstated].map(({ index }) => index)
  const left = all.filter(({ index }) => !tracks.includes(index))
  const words = (tags: readonly string[]) => [...new Set(tags.map(describeLanguage))].join(', ')
  if (tracks.length === 0)
    throw new CannotTreat(
      all.length === 0
        ? `${name} leaves commentary out, and this source has nothing else: the result would be silent. Choose another spec, or choose tracks with the step "${stepKinds['keep-tracks'].name}".`
        : `${name} keeps sound in ${words(rule.languages!)}, and this source has it in ${words(all.map(({ language }) => language!))}: the result would be silent. Choose another spec, or choose tracks with the step "${stepKinds['keep-tracks'].name}".`,
    )
  return {
    tracks,
    notes: [
      ...said.map(({ index }) => `Sound track ${index + 1} stays out: it is commentary.`),
      ...left.map(
        ({ language, index }) =>
          `Sound track ${index + 1} (${describeLanguage(language!)}) stays out: ${name} keeps ${words(rule.languages!)}.`,
      ),
      ...(unstated.length > 0
        ? [
            `${unstated.length === 1 ? `Sound track ${unstated[0]!.index + 1} states` : `${unstated.length} sound tracks state`} no language, so ${unstated.length === 1 ? 'it stays' : 'they stay'}.`,
          ]
        : []),
    ],
  }
}

function isOfSound(step: Step): boolean {
  return stepKinds[step.kind].group === 'sound'
}

/** A timeline of which a trim keeps its ranges. @throws CannotTreat */
function trimmed(timeline: Timeline, { ranges }: StepOf<'trim'>, seconds: number): Timeline {
  if (ranges.some(({ from }) => from >= seconds))
    throw new CannotTreat(
      `Trim keeps a range that begins after the source's end (${seconds.toFixed(2)} s). Set it inside the source.`,
    )
  return { ...timeline, ranges }
}

/** Steps that are nothing to a single picture. */
const needsMotion = new Set<Step['kind']>([
  'trim',
  'undo-pulldown',
  'drop-repeats',
  'speed',
  'more-frames',
  'rate',
  'steady',
  'flicker',
])

/** Whether a trim leaves one frame of a source alone. */
function keepsOneFrame({ frameRate }: VideoFacts, steps: readonly Step[]): boolean {
  const trim = steps.find(step => step.kind === 'trim')
  const [range, ...others] = trim?.ranges ?? []
  return range !== undefined && others.length === 0 && framesIn(range.to - range.from, frameRate) === 1
}

/** A moving picture is not made of a single one, nor a single one of a moving picture of which more than a frame is kept. @throws CannotTreat */
function mustSuit(spec: PictureSpec, video: VideoFacts, steps: readonly Step[]): void {
  const isStill = outputKind(spec) === 'still'
  const frames = spannedFrames(video)
  if (frames <= 1 && !isStill)
    throw new CannotTreat(
      `${spec.name} is for moving pictures, and this source is a single picture: it would become a film of no length. Choose a spec for stills, or bring in the whole sequence if it is part of one.`,
    )
  const isFrame = frames > 1 && isStill && keepsOneFrame(video, steps)
  if (frames > 1 && isStill && !isFrame)
    throw new CannotTreat(
      spec.pieces
        ? `${spec.name} takes single frames of a moving picture, which are chosen when it is drafted. Try steps on it with a spec for moving pictures.`
        : `${spec.name} makes a still, and this source is a moving picture of ${frames} frames. Choose a spec for an image sequence, or for a moving picture, or one that takes frames of moving pictures.`,
    )
  const moving = isStill
    ? steps.find(step => needsMotion.has(step.kind) && !(isFrame && step.kind === 'trim'))
    : undefined
  if (moving)
    throw new CannotTreat(
      `${stepKinds[moving.kind].name} needs a picture that moves, and this is a single one. Leave the step out.`,
    )
}

/** A picture is copied where the spec wants that and nothing has to be done to it, and worked out to be encoded otherwise; a note says which and why. */
function treatPicture(facts: SourceFacts, spec: PictureSpec, chosen: readonly Step[]): PictureTreatment {
  if (!spec.video.copied || !facts.video) return treatSteps(facts, spec, chosen)
  const copy = copyOfPicture(facts, facts.video, spec, chosen)
  if (typeof copy !== 'string') return copy
  const encoded = treatSteps(facts, spec, chosen)
  return { ...encoded, notes: [`The picture ${copy}: it is encoded.`, ...(encoded.notes ?? [])] }
}

/** The treatment that leaves a picture as it is, or why there is none, as the end of a sentence that begins with "the picture". */
function copyOfPicture(
  facts: SourceFacts,
  video: NonNullable<SourceFacts['video']>,
  spec: PictureSpec,
  chosen: readonly Step[],
): PictureTreatment | string {
  const reason = whyNotCopied(facts, spec)
  if (reason !== null) return reason
  const own = chosen.find(step => !isOfSound(step))
  if (own) return `is changed by the step "${stepKinds[own.kind].name}"`
  const plain = treatSteps(facts, asCopied(spec, video), chosen, true)
  const [step] = plain.steps
  if (step) return `does not meet ${spec.name} as it is (${step.why.replace(/\.$/, '')})`
  return {
    ...plain,
    copied: true,
    result: { ...plain.result, pixelFormat: video.pixelFormat.replace(/^yuvj/, 'yuv') },
    notes: ['The picture is copied untouched; its keyframes stay where they are.', ...(plain.notes ?? [])],
  }
}

/** What is done to a picture, and what comes out. @param isCopied whether it is worked out to see that nothing has to be done */
function treatSteps(
  facts: SourceFacts,
  spec: PictureSpec,
  chosen: readonly Step[],
  isCopied = false,
): PictureTreatment {
  const video = facts.video
  if (!video) throw new CannotTreat(`${spec.name} needs a picture, and this source has none.`)
  const steps: AppliedStep[] = []
  const rule = spec.video
  const sound = chosen.filter(isOfSound)
  const picture = chosen.filter(step => !isOfSound(step))
  const spanned = spannedFrames(video)
  const seconds = facts.durationSeconds ?? spanned / toNumber(video.frameRate)
  mustSuit(spec, video, picture)
  if (video.turned && video.scan.kind !== 'progressive')
    throw new CannotTreat(
      `The file says that this interlaced picture is ${video.turned}, which would mix its fields. Remove the flag from a copy of the file, or deinterlace it elsewhere first.`,
    )

  let passing: Passing = {
    frame: { width: video.width, height: video.height, pixelAspect: video.pixelAspect },
    rate: video.frameRate,
    timeline: plainTimeline,
    scan:
      video.scan.kind === 'progressive'
        ? 'progressive'
        : video.scan.firstField === 'bottom'
          ? 'bottom field first'
          : 'top field first',
  }
  const wantsWhole =
    passing.scan !== 'progressive' &&
    rule.scan === 'progressive' &&
    !picture.some(step => step.kind === 'deinterlace' || step.kind === 'undo-pulldown')
  const deinterlace = () => {
    const fieldRate = multiply(passing.rate, rational(2))
    const wantsFields =
      rule.deinterlaceTo === 'field rate' && (rule.maxFrameRate === null || compare(fieldRate, rule.maxFrameRate) <= 0)
    const frames = video.scan.kind === 'mixed' && !wantsFields ? ('combed' as const) : ('all' as const)
    steps.push({
      kind: 'deinterlace',
      firstField: video.scan.firstField ?? 'by frame',
      to: wantsFields ? 'field rate' : 'frame rate',
      frames,
      why: `The source is ${describeScan(video)}; ${spec.name} is progressive.`,
    })
    passing = { ...passing, scan: 'progressive', rate: wantsFields ? fieldRate : passing.rate }
  }
  let whole = !wantsWhole
  for (const step of picture) {
    if (!whole && stepKinds[step.kind].rank > stepKinds.deinterlace.rank) {
      deinterlace()
      whole = true
    }
    if (
      passing.scan !== 'progressive' &&
      !['deinterlace', 'undo-pulldown'].includes(step.kind) &&
      !harmlessToFields.has(step.kind)
    )
      throw new CannotTreat(
        `${stepKinds[step.kind].name} would mix the fields of this interlaced picture, and ${spec.name} keeps it interlaced. Add a deinterlace step, or leave this one out.`,
      )
    const done = applyStep(step, passing, facts, seconds)
    steps.push(...done.steps)
    passing = done.passing
  }
  if (!whole) deinterlace()

  const wanted = (rule.holdsFrameRate && rule.maxFrameRate) || rateWithin(passing.rate, rule.maxFrameRate)
  if (!equal(wanted, passing.rate)) {
    if (passing.scan !== 'progressive')
      throw new CannotTreat(
        `${spec.name} runs at ${describeRate(wanted)} fps, and another rate mixes the fields of this interlaced picture (${describeRate(passing.rate)} fps). Choose a progressive spec.`,
      )
    steps.push({
      kind: 'rate',
      from: passing.rate,
      to: wanted,
      why: rule.holdsFrameRate
        ? `${spec.name} runs at ${describeRate(wanted)} fps, and this is ${describeRate(passing.rate)}. ${retimeWords(passing.rate, wanted)}`
        : `${describeRate(passing.rate)} fps is more than the ${describeRate(rule.maxFrameRate!)} that ${spec.name} allows. ${retimeWords(passing.rate, wanted)}`,
    })
    passing = { ...passing, rate: wanted }
  } else if (video.rateIs === 'variable') {
    steps.push({
      kind: 'rate',
      to: passing.rate,
      why: `The source's rate varies${video.averageRate ? ` (${video.averageRate.toFixed(2)} on average)` : ''}; ${spec.name} has a constant one, in which frames are repeated or dropped where they must be.`,
    })
  }

  const { rate, scan, timeline } = passing
  const pixelFormat =
    rule.pixelFormat ?? losslessPixelFormat(steps.some(leavesRgb) && !video.isRgb ? 'gbrp' : video.pixelFormat)
  const from = passing.frame
  const codec = pictureCodec(rule.codec)
  // Picture files hold odd sides; films in 4:2:0 do not.
  const isFilm = outputKind(spec) === 'moving picture'
  const sized = toFrame(from, spec, scan, rule.pixelFormat === null || !isFilm ? 1 : 2, codec.cutsSidesTo)
  steps.push(...sized.steps)
  const { frame } = sized

  const sourceColour = completeColour(video.colour, { width: video.width, height: video.height }, video.isRgb)
  const highRange = picture.find(step => step.kind === 'high-range')
  const { statesNoColour } = containerFacts(spec.container)
  if (highRange && isHighRange(sourceColour))
    throw new CannotTreat(
      'To high dynamic range is for pictures of standard range, and this source has a high one already. Leave the step out.',
    )
  if (highRange && describePixelFormat(pixelFormat).bitDepth < 10)
    throw new CannotTreat(
      `To high dynamic range needs a spec of 10 bits or more, or its shades show as bands; ${spec.name} has ${describePixelFormat(pixelFormat).bitDepth}. Choose another spec, or leave the step out.`,
    )
  const colour = highRange
    ? highRangeColour(highRange)
    : rule.pixelFormat === null
      ? describePixelFormat(pixelFormat).isRgb && !video.isRgb
        ? { ...sourceColour, range: 'full' as const, matrix: 'gbr' }
        : sourceColour
      : codec.colourOf
        ? codec.colourOf(sourceColour)
        : statesNoColour && !isHighRange(sourceColour)
          ? assumedColour(frame, false)
          : targetColour(sourceColour, frame)
  if (statesNoColour && !codec.colourOf && !isAssumed(colour, frame))
    throw new CannotTreat(
      `${describeContainer(spec.container)} states no colours, and players take a picture of ${frame.width}x${frame.height} for ${describeColourTag(assumedColour(frame, false).matrix)}: this one (${describeColourTag(isHighRange(colour) ? colour.transfer : colour.matrix)}${colour.range === 'full' ? ', full range' : ''}) would show others. Choose MKV or MOV.`,
    )
  if (!isFilm && !codec.keepsHighRange && isHighRange(sourceColour) && !highRange)
    throw new CannotTreat(
      `${codec.name} states no high dynamic range, which this source has (${describeColourTag(sourceColour.transfer)}): its pictures would show dull. Choose PNG or OpenEXR.`,
    )
  if (!highRange && !sameColour(sourceColour, colour))
    steps.push({ kind: 'colour', from: sourceColour, to: colour, why: colourReason(sourceColour, colour) })

  // What is copied needs no encoder.
  if (!isCopied) mustBeCoded(codec, spec, { frame, rate, colour })

  const isPlain = timeline.ranges === null && timeline.speed === 1
  const frameCount =
    isPlain && equal(rate, video.frameRate) && video.rateIs === 'constant'
      ? spanned
      : isPlain && video.rateIs === 'constant'
        ? Math.round(spanned * toNumber(divide(rate, video.frameRate)))
        : framesIn(resultSeconds(timeline, seconds), rate)
  if (outputKind(spec) === 'still' && frameCount !== 1)
    throw new CannotTreat(
      `A still is one frame, and the steps make ${frameCount} of it. Deinterlace to one frame a frame, or leave out what makes more.`,
    )
  const ruled = tracksByRule(facts, spec, sound)
  const chosenTracks = {
    ...(isPlain ? {} : { timeline }),
    ...(sound.length === 0 ? {} : { sound }),
    ...(spec.audio === null ? { tracks: [] } : ruled ? { tracks: ruled.tracks } : {}),
  }
  const stereo = stereoBeside(deliveredFacts(facts, chosenTracks).audio, spec)
  const delivery = { ...chosenTracks, ...(stereo.length > 0 ? { stereo } : {}) }
  const hasEvenSound = containerFacts(spec.container).evenSound === true && spec.audio !== null
  const tooLarge = plannedCapProblem(spec, { frameCount, rate }, deliveredFacts(facts, delivery).audio)
  if (tooLarge) throw new CannotTreat(tooLarge)
  const burning = picture.find(step => step.kind === 'burn-subtitles')
  const burnt = burning && chooseBurnt(facts, burning)
  const notes = [
    ...(ruled?.notes ?? []),
    ...(burnt && 'none' in burnt ? [burnt.none] : []),
    ...copyNotes(facts, spec, delivery),
    ...plannedSubtitles(facts, spec, timeline).notes,
    ...pictureNotes(facts, spec, pixelFormat),
    ...(hasEvenSound ? unevenSound(deliveredFacts(facts, delivery).audio, spec, frameCount / toNumber(rate)) : []),
  ]
  return {
    steps,
    sourceColour,
    ...(burnt && !('none' in burnt) ? { burnt } : {}),
    ...delivery,
    ...(hasEvenSound ? { evenSound: true as const } : {}),
    result: {
      frame,
      rate,
      scan,
      pixelFormat,
      colour,
      frameCount,
      ...(codec.centresChroma ? { centredChroma: true } : {}),
      ...(isEstimated(video) ? { isEstimate: true } : {}),
    },
    ...(notes.length > 0 ? { notes } : {}),
  }
}

/**
 * The steps that bring a picture to the frame that a spec wants.
 * @param least what its sides have to be multiples of for its codec @param cutTo what they are cut to multiples of for it
 * @throws CannotTreat
 */
function toFrame(
  from: StoredFrame,
  { name, video: { frame: rule, codec } }: PictureSpec,
  scan: Passing['scan'],
  least: number,
  cutTo = 1,
): { steps: AppliedStep[]; frame: StoredFrame } {
  const keepsLines = scan !== 'progressive'
  const exact = rule.exactly ? fitExactly(from, rule, { keepsLines, multiple: least }) : null
  const picture = checkSize(exact?.picture ?? fitFrame(from, rule, least), name)
  if (keepsLines && (picture.height !== from.height || (rule.exactly && !exact)))
    throw new CannotTreat(
      `${name} would have to change the height of an interlaced picture, which mixes its fields. Choose a progressive spec.`,
    )
  const sized: AppliedStep[] = sameFrame(picture, from)
    ? []
    : [{ kind: 'size', from, to: picture, why: sizeReason(from, picture) }]
  const frame = exact?.frame ?? inMultiples(picture, commonMultiple(rule.multiple ?? least, cutTo))
  if (sameFrame(picture, frame)) return { steps: sized, frame }
  const shaped = (step: StepOf<'pad' | 'crop'>, why: string) => ({
    steps: [...sized, { kind: 'chosen' as const, step, from: picture, to: frame, why }],
    frame,
  })
  const size = `${frame.width}x${frame.height}`
  if (rule.exactly === 'padded')
    return shaped(
      { kind: 'pad', to: { width: frame.width, height: frame.height } },
      `${name} has ${size} whatever the picture's shape: the rest is black.`,
    )
  const over = { width: picture.width - frame.width, height: picture.height - frame.height }
  // Colours are stored for pairs of pixels, and lines of fields go in pairs.
  const [left, top] = [2 * Math.floor(over.width / 4), 2 * Math.floor(over.height / 4)]
  return shaped(
    { kind: 'crop', left, top, right: over.width - left, bottom: over.height - top },
    rule.exactly
      ? `${name} has ${size} and no bars: what hangs over is cut off.`
      : rule.multiple
        ? `Sides of ${name} are multiples of ${rule.multiple}: what is over is cut off.`
        : `${pictureCodec(codec).name} takes sides in multiples of ${cutTo} here: what is over is cut off.`,
  )
}

/** A multiple of both of two numbers; of small ones, the least. */
const commonMultiple = (a: number, b: number) => (a % b === 0 ? a : b % a === 0 ? b : a * b)

/** The largest frame within another whose sides are whole multiples. */
function inMultiples(frame: StoredFrame, multiple: number): StoredFrame {
  const whole = (side: number) => Math.max(multiple, side - (side % multiple))
  return { ...frame, width: whole(frame.width), height: whole(frame.height) }
}

/** What a codec's encoder and the container take. @throws CannotTreat when it does not take the picture */
function mustBeCoded(
  codec: PictureCodec,
  { container, video: { profile } }: PictureSpec,
  { frame, rate, colour }: Pick<PictureTreatment['result'], 'frame' | 'rate' | 'colour'>,
): void {
  const sizeProblem = codec.sizeProblem(frame, profile)
  if (sizeProblem) throw new CannotTreat(`${sizeProblem} Choose another spec, or another frame size.`)
  const rateProblem = codec.rateProblem(rate, profile) ?? containerRateProblem(container, rate)
  if (rateProblem)
    throw new CannotTreat(
      `${rateProblem} Bring it to one that fits with the step "${stepKinds.rate.name}", or choose another spec.`,
    )
  if (codec.matrices && !codec.matrices.includes(colour.matrix))
    throw new CannotTreat(
      `${codec.name} can state BT.709 and BT.2020 alone, and this picture is ${describeColourTag(colour.matrix)}: players would show other colours. Choose another spec, or one that enlarges it to high definition.`,
    )
}

/** Tracks, by their places in the source, of which a spec wants one in stereo beside: not where their language has one. */
function stereoBeside(delivered: readonly AudioFacts[], { audio }: PictureSpec): number[] {
  if (!audio?.stereoBeside || audio.maxChannels < 3) return []
  const isMain = (track: AudioFacts) =>
    !track.roles?.some(role => role === 'commentary' || role === 'visually impaired')
  return delivered
    .filter(
      track =>
        track.channels > 2 &&
        !delivered.some(
          other => other.channels <= 2 && isMain(other) && languageOf(other.language) === languageOf(track.language),
        ),
    )
    .map(track => track.position!)
}

/** Which tracks are copied where the spec wants that. */
function copyNotes(
  facts: SourceFacts,
  spec: PictureSpec,
  treatment: Pick<PictureTreatment, 'timeline' | 'sound' | 'tracks' | 'stereo'>,
): string[] {
  if (!spec.audio?.copied) return []
  const { audio } = deliveredFacts(facts, treatment)
  const copied = audio.filter(track => copiesSound(track, facts, spec, treatment))
  if (copied.length === 0 || audio.length === 0)
    return audio.length === 0 ? [] : ['No sound track meets the spec as it is; all are encoded.']
  return [
    `${copied.length === audio.length ? 'All sound is' : `${copied.length} of ${audio.length} sound tracks ${copied.length === 1 ? 'is' : 'are'}`} copied untouched.`,
  ]
}

/** Sound that ends this much before or after the picture is worth a word where it has to end with it, in seconds. */
const unevenBy = 0.1

/** Tracks that do not end with a picture of a length, where the container has them end together. */
function unevenSound(audio: readonly AudioFacts[], { container }: PictureSpec, seconds: number): string[] {
  return audio.flatMap((track, index) => {
    const by = track.endSeconds === undefined ? 0 : track.endSeconds - seconds
    if (Math.abs(by) < unevenBy) return []
    const what = by < 0 ? `is filled with ${(-by).toFixed(2)} s of silence` : `loses its last ${by.toFixed(2)} s`
    return [`${describeContainer(container)} has sound beside every frame and no other: track ${index + 1} ${what}.`]
  })
}

/** What becomes of what the spec cannot carry, or has a rule for. */
function pictureNotes({ video, audio }: SourceFacts, spec: PictureSpec, pixelFormat: string): string[] {
  const lead = soundLead({ video, audio })
  return [
    ...(video!.repeats
      ? [
          `${video!.repeats} frames have no picture of their own in the source; each shows the one before once more, here too.`,
        ]
      : []),
    ...(video!.gaps?.count && video!.rateIs === 'constant'
      ? [
          `In ${video!.gaps.count === 1 ? 'the gap' : `the ${video!.gaps.count} gaps`} of the source (${video!.gaps.seconds.toFixed(2)} s) the frame before is repeated, so that sound stays in step.`,
        ]
      : []),
    ...(lead > 0 && spec.audio !== null
      ? [
          `The sound begins ${lead.toFixed(2)} s before the picture; what is heard before its first frame is cut off. A spec for sound alone keeps it.`,
        ]
      : []),
    ...(video!.profileName && !pictureCodec(spec.video.codec).remarks.includes('colour profile')
      ? [
          `The source's colours are by its profile (${video!.profileName}), which ${spec.name} does not hold: they are taken as if it had none, and may show paler or stronger.`,
        ]
      : []),
    ...(video!.hasAlpha && !describePixelFormat(pixelFormat).hasAlpha
      ? [
          `The source has transparency, which ${spec.name} does not carry; the picture is taken as it is stored, without it.`,
        ]
      : []),
    ...(spec.audio === null && audio.length > 0
      ? [
          `${spec.name} has no sound: ${audio.length === 1 ? 'the sound track' : `${audio.length} sound tracks`} of the source ${audio.length === 1 ? 'stays' : 'stay'} out.`,
        ]
      : []),
    ...(video!.turned
      ? [`The picture is ${video!.turned}, as the file says, and stands that way in the result without a flag.`]
      : []),
  ]
}

/** What becomes of frames that are not the result's rate. */
function retimeWords(from: Rational, to: Rational): string {
  const part = 1 - toNumber(to) / toNumber(from)
  if (part < 0) {
    const times = toNumber(to) / toNumber(from)
    if (Number.isInteger(times)) return `Every frame is shown ${describeTimes(times)}.`
    return times < 1.5
      ? `One frame in ${Math.round(1 / -part)} is shown twice.`
      : `Frames are shown ${Math.floor(times)} or ${Math.ceil(times)} times.`
  }
  return part < 0.01
    ? 'One frame in ' + Math.round(1 / part) + ' is dropped.'
    : `${Math.round(part * 100)} % of the frames are dropped.`
}

/** BT.2100 with the chosen transfer (ITU-T H.273 names). */
function highRangeColour({ transfer }: StepOf<'high-range'>): FullColourDescription {
  return {
    range: 'limited',
    primaries: 'bt2020',
    transfer: transfer === 'PQ' ? 'smpte2084' : 'arib-std-b67',
    matrix: 'bt2020nc',
  }
}

/** Whether a step hands on red, green and blue whatever it was given. */
function leavesRgb(step: AppliedStep): boolean {
  return step.kind === 'chosen' && ['learned', 'clean-up', 'grade', 'lookup-table'].includes(step.step.kind)
}

/** Does one chosen step to the picture that reaches it. @throws CannotTreat */
function applyStep(
  step: Step,
  passing: Passing,
  facts: SourceFacts,
  seconds: number,
): { steps: AppliedStep[]; passing: Passing } {
  const { frame, rate, timeline } = passing
  const name = stepKinds[step.kind].name
  const chosen = (to: StoredFrame = frame, changes: Partial<Passing> = {}) => ({
    steps: [{ kind: 'chosen' as const, step, from: frame, to: checkSize(to, name), why: 'Chosen.' }],
    passing: { ...passing, frame: to, ...changes },
  })
  switch (step.kind) {
    case 'trim':
      return chosen(frame, { timeline: trimmed(timeline, step, seconds) })
    case 'deinterlace': {
      const found = facts.video!.scan.firstField ?? 'by frame'
      const toFields = step.to === 'field rate'
      return {
        steps: [
          {
            kind: 'deinterlace',
            to: step.to,
            firstField: step.firstField === 'as found' ? found : step.firstField,
            frames: facts.video!.scan.kind === 'mixed' && !toFields ? 'combed' : 'all',
            why: 'Chosen.',
          },
        ],
        passing: { ...passing, scan: 'progressive', rate: toFields ? multiply(rate, rational(2)) : rate },
      }
    }
    case 'undo-pulldown':
      return chosen(frame, { scan: 'progressive', rate: multiply(rate, rational(4, 5)) })
    case 'drop-repeats':
      return chosen(frame, { rate: multiply(rate, rational(step.every - 1, step.every)) })
    case 'speed':
      return chosen(frame, { timeline: { ...timeline, speed: timeline.speed * step.factor } })
    case 'more-frames':
      return rateStep(
        { to: multiply(rate, rational(step.times)), between: step.between, cutThreshold: step.cutThreshold },
        passing,
      )
    case 'rate':
      return rateStep(step, passing)
    case 'crop': {
      const to = {
        ...frame,
        width: frame.width - step.left - step.right,
        height: frame.height - step.top - step.bottom,
      }
      if (to.width < 16 || to.height < 16)
        throw new CannotTreat(
          `Crop leaves ${Math.max(0, to.width)}x${Math.max(0, to.height)} of ${frame.width}x${frame.height}. Take off less.`,
        )
      if (
        /4:2:|4:1:/.test(facts.video!.chroma) &&
        [step.left, step.top, step.right, step.bottom].some(side => side % 2 !== 0)
      )
        throw new CannotTreat(
          'Crop takes off even numbers of pixels here, because colour is stored for pairs of them. Change the odd ones.',
        )
      if (passing.scan !== 'progressive' && (step.top % 2 !== 0 || step.bottom % 2 !== 0))
        throw new CannotTreat(
          'Crop of an interlaced picture must take off even numbers of lines, or its fields change places.',
        )
      return chosen(to)
    }
    case 'aspect':
      return chosen({ ...frame, pixelAspect: pixelAspectFor(frame, step.display) })
    case 'rotate':
      return chosen(
        step.degrees === 180
          ? frame
          : {
              width: frame.height,
              height: frame.width,
              pixelAspect: rational(frame.pixelAspect.den, frame.pixelAspect.num),
            },
      )
    case 'steady': {
      const edge = step.edge - (step.edge % 2)
      if (frame.width <= 4 * edge || frame.height <= 4 * edge)
        throw new CannotTreat(
          `Steady takes ${edge} pixels off each edge, which leaves too little of ${frame.width}x${frame.height}. Choose a smaller edge.`,
        )
      return chosen({ ...frame, width: frame.width - 2 * edge, height: frame.height - 2 * edge })
    }
    case 'scale':
      return sizeStep(step, passing)
    case 'learned':
      return chosen({ ...frame, width: frame.width * step.times, height: frame.height * step.times })
    case 'pad': {
      if (step.to.width < frame.width || step.to.height < frame.height)
        throw new CannotTreat(
          `Pad to ${step.to.width}x${step.to.height} is smaller than the picture, ${frame.width}x${frame.height}. Scale it down first.`,
        )
      return chosen({ ...frame, ...step.to })
    }
    case 'soften-mark': {
      if (step.x < 1 || step.y < 1 || step.x + step.width >= frame.width || step.y + step.height >= frame.height)
        throw new CannotTreat(
          `Soften a mark needs a pixel of picture around its region; ${step.width}x${step.height} at ${step.x}, ${step.y} leaves none in ${frame.width}x${frame.height}.`,
        )
      return chosen()
    }
    default:
      return chosen()
  }
}

function checkSize(frame: StoredFrame, name: string): StoredFrame {
  if (Math.max(frame.width, frame.height) > largestSide || frame.width * frame.height > mostPixels)
    throw new CannotTreat(
      `${name} would make a picture of ${frame.width}x${frame.height}, more than 7680x4320. Choose a smaller one.`,
    )
  return frame
}

function rateStep(
  step: Pick<StepOf<'rate'>, 'to' | 'between' | 'cutThreshold'>,
  passing: Passing,
): { steps: AppliedStep[]; passing: Passing } {
  if (step.to.num <= 0 || toNumber(step.to) > 240) throw new CannotTreat('A rate must be above 0 and at most 240 fps.')
  return {
    steps: [{ kind: 'rate', to: step.to, between: step.between, cutThreshold: step.cutThreshold, why: 'Chosen.' }],
    passing: { ...passing, rate: step.to },
  }
}

/** Scales by a factor, pixels keeping their shape, or into a box with square pixels, the picture keeping its shape. */
function sizeStep(step: StepOf<'scale'>, passing: Passing): { steps: AppliedStep[]; passing: Passing } {
  const { frame } = passing
  const { to } = step
  const wanted: StoredFrame =
    to.by === 'factor'
      ? {
          width: roundToMultiple(frame.width * to.factor, 2),
          height: roundToMultiple(frame.height * to.factor, 2),
          pixelAspect: frame.pixelAspect,
        }
      : fitFrame(frame, { maxWidth: to.width, maxHeight: to.height, enlarge: true, squarePixels: true })
  checkSize(wanted, 'Scale')
  return {
    steps: [{ kind: 'size', from: frame, to: wanted, kernel: step.kernel, why: 'Chosen.' }],
    passing: { ...passing, frame: wanted },
  }
}

/** The facts of what a treatment delivers: tracks that it drops are left out, the others are in the order that it has them in. */
export function deliveredFacts(
  facts: SourceFacts,
  treatment: Pick<PictureTreatment, 'sound' | 'tracks' | 'stereo'> | Pick<SoundTreatment, 'tracks'>,
): SourceFacts {
  const kept = 'sound' in treatment ? treatment.sound?.find(step => step.kind === 'keep-tracks') : undefined
  const tracks = treatment.tracks ?? kept?.tracks
  const audio = facts.audio.map((track, position) => ({ ...track, position }))
  const stereo = 'stereo' in treatment ? (treatment.stereo ?? []) : []
  const delivered = tracks ? tracks.flatMap(index => audio[index] ?? []) : audio
  return {
    ...facts,
    audio: delivered.flatMap(track =>
      stereo.includes(track.position)
        ? [track, { ...track, mixed: 'stereo' as const, title: track.title ? `${track.title}, stereo` : 'Stereo' }]
        : [track],
    ),
  }
}

/**
 * Longest distance between keyframes in frames; 1 when every frame is one. Of a codec whose frames lean on others it is never 1, however slow the
 * picture is: a stream of keyframes alone states another profile (ITU-T H.265, A.3.5), which players of the wished one refuse.
 */
export function keyframeDistance(spec: PictureSpec, treatment: PictureTreatment): number {
  const { keyframeSeconds } = spec.video
  return keyframeSeconds === null ? 1 : Math.max(2, Math.round(keyframeSeconds * toNumber(treatment.result.rate)))
}

/** Clocks are a little off: a rate this little above a limit becomes the limit, and not half of it. */
const limitTolerance = 0.002

/** The largest whole division of a rate that a limit allows: 50 under 30 becomes 25, 30.02 becomes 30. */
function rateWithin(rate: Rational, limit: Rational | null): Rational {
  if (limit === null) return rate
  if (toNumber(rate) > toNumber(limit) && toNumber(rate) <= toNumber(limit) * (1 + limitTolerance)) return limit
  let divisor = 1
  while (compare(divide(rate, rational(divisor)), limit) > 0) divisor++
  return divide(rate, rational(divisor))
}

/** Whether colours are those that players take an untagged picture of the size for. BT.601 has one matrix in two names. */
function isAssumed(colour: FullColourDescription, frame: StoredFrame): boolean {
  const assumed = assumedColour(frame, false)
  const plain = (matrix: string) => (matrix === 'bt470bg' ? 'smpte170m' : matrix)
  return !isHighRange(colour) && colour.range === assumed.range && plain(colour.matrix) === plain(assumed.matrix)
}

function sameFrame(a: StoredFrame, b: StoredFrame): boolean {
  return a.width === b.width && a.height === b.height && equal(a.pixelAspect, b.pixelAspect)
}

function sameColour(a: FullColourDescription, b: FullColourDescription): boolean {
  return a.matrix === b.matrix && a.primaries === b.primaries && a.range === b.range && a.transfer === b.transfer
}

function sizeReason(from: StoredFrame, to: StoredFrame): string {
  const shape = describeAspect(displayAspect(from))
  const larger = to.width * to.height > from.width * from.height
  if (equal(from.pixelAspect, to.pixelAspect)) return `${larger ? 'Enlarged' : 'Reduced'} to fit, still ${shape}.`
  return `Pixels of ${from.pixelAspect.num}:${from.pixelAspect.den} become ${to.pixelAspect.num}:${to.pixelAspect.den}; the picture stays ${shape}.`
}

function colourReason(from: FullColourDescription, to: FullColourDescription): string {
  if (from.transfer === 'linear' && to.transfer !== 'linear')
    return `Linear light becomes codes to be shown, by the curve of ${describeColourTag(to.transfer)}.`
  if (from.matrix === 'gbr' && to.matrix !== 'gbr')
    return `Red, green and blue become luma and chroma in ${describeColourTag(to.matrix)}.`
  if (to.transfer === 'linear')
    return `${from.matrix === 'gbr' ? 'Red, green and blue' : `${describeColourTag(from.matrix)} colour`} become${from.matrix === 'gbr' ? '' : 's'} linear light in the primaries of BT.709, as a display of BT.1886 shows it.`
  if (to.matrix === 'gbr') return `${describeColourTag(from.matrix)} colour becomes red, green and blue.`
  if (from.matrix !== to.matrix)
    return `${describeColourTag(from.matrix)} colour becomes ${describeColourTag(to.matrix)} colour.`
  return 'The range or the primaries change to what the result states.'
}
