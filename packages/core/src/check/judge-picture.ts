import { describeCodec } from '../codec-names.ts'
import type { ColourDescription } from '../colour.ts'
import { levelProblem, levelRank, lowestLevel, pictureCodec, sameProfile, streamNameOf } from '../codecs/index.ts'
import type { SourceFacts } from '../facts.ts'
import { describeClock } from '../format.ts'
import { asCopied } from '../picture-copy.ts'
import { describeBits, describeLimits, streamLimits } from '../player-buffer.ts'
import { targetTolerance } from '../quality-target.ts'
import { equal, toNumber, type Rational } from '../rational.ts'
import { copiesSound } from '../sound-copy.ts'
import { containerFacts, describeContainer, outputKind } from '../spec/container.ts'
import type { PictureSpec } from '../spec/schema.ts'
import { describeRate } from '../timing.ts'
import { deliveredFacts, plainTimeline, resultSeconds, soundDelay, type PictureTreatment } from '../treatment/index.ts'
import {
  addOnDisk,
  addUntouched,
  countErrors,
  judgeSoundLikeness,
  judgeTrack,
  soundShape,
  wrongSoundShape,
  type AddLine,
} from './lines.ts'
import type { PictureCheckMeasurement } from './records.ts'

/** SSIM of luma under which a person should look, and XPSNR likewise: well below what the built-in specs reach on ordinary material. */
const lookBelow = { ssim: 0.9, xpsnr: 30 }
/** A single frame that is so bad, and so much worse than the mean, in dB of XPSNR: at absurd qualities the worst of some hundred results were up to 12 dB below it. */
const farOff = { below: 20, apart: 14 }

/** What a picture is held to: one that was copied, to be its source's own in every frame. */
export function judgedSpec(spec: PictureSpec, treatment: PictureTreatment, facts: SourceFacts | null): PictureSpec {
  return treatment.copied && facts?.video ? asCopied(spec, facts.video) : spec
}

/** Lines on a result with a picture. */
export function judgePicture(
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
  addOnDisk(add, 'on the disk', measured.onDisk, 'picture')
  const { misplaced } = measured
  if (misplaced)
    add(
      'order',
      'as treated',
      misplaced.length === 0 ? 'as treated' : `${misplaced.length} frames elsewhere`,
      misplaced.length === 0,
      `Frames of the result stand in one another's place, the first at ${describeClock((misplaced[0] ?? 0) / toNumber(result.rate))}. Make it again.`,
    )
  const { strange } = measured
  if (strange)
    add(
      'each frame',
      'what was treated',
      strange.length === 0 ? 'what was treated' : `${strange.length} others`,
      strange.length === 0,
      `A frame of the result shows something else than what was encoded, the first at ${describeClock((strange[0] ?? 0) / toNumber(result.rate))}: its encoder does not work as it should. Make it again, by another encoder where it is a graphics device's.`,
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
    if (track.likeness) judgeSoundLikeness(add, of, track.likeness, { audio: spec.audio, container: spec.container })
    addOnDisk(add, `sound${of} on the disk`, track.onDisk, 'sound')
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

  const codecOk = video.codec === streamNameOf(pictureCodec(spec.video.codec))
  add(
    'codec',
    describeCodec(streamNameOf(pictureCodec(spec.video.codec))),
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
  const limits = treatment.copied ? null : streamLimits(spec)
  if (measured.flow && limits)
    add(
      'player buffer',
      `at most ${describeLimits(limits)}`,
      `${describeBits(measured.flow.bufferBits)}; busiest second ${describeBits(measured.flow.busiestSecondBits)}`,
      measured.flow.dryAtSeconds === null,
      `A player that keeps to these limits would run dry at ${describeClock(measured.flow.dryAtSeconds ?? 0)}. Choose a lower rate or a smaller frame, or allow more.`,
    )
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
    const tagsIn = (colour: ColourDescription) => [colour.primaries, colour.transfer, colour.matrix]
    const wanted = [result.colour.primaries, result.colour.transfer, result.colour.matrix]
    // Not every container states colours, and a copied stream says no more than it did.
    const mayBeOpen = treatment.copied === true || containerFacts(spec.container).statesNoColour === true
    const addTags = (name: string, colour: ColourDescription, isOpen: boolean, reason: string) => {
      const tags = tagsIn(colour)
      const isWanted = (tag: string | null, index: number) =>
        sameColourTag(tag, wanted[index]!) ||
        (tag === null && isOpen) ||
        (index === 1 && sameCurve(tag, wanted[index]!))
      add(name, wanted.join(' / '), tags.map(tag => tag ?? 'none').join(' / '), tags.every(isWanted), reason)
    }
    const reason = 'Players would show other colours: the tags are not the planned ones.'
    addTags('colour tags', video.colour, mayBeOpen, reason)
    // A decoder believes the stream, and many players the container.
    if (video.containerColour)
      addTags(
        'container colours',
        video.containerColour,
        true,
        'Players that go by the container would show other colours: its tags are not the planned ones. Make it again.',
      )
  }

  const { framesCompared = measured.treatedFrames } = measured
  const ofFrames = framesCompared < measured.treatedFrames ? `, ${framesCompared} frames compared` : ''
  if (measured.identical) {
    add(
      'likeness',
      spec.video.rateControl.kind === 'lossless' ? 'identical' : 'close',
      `every frame identical${ofFrames}`,
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
        `${measured.ssim.mean.toFixed(4)} (worst ${measured.ssim.worst.toFixed(4)})${ofFrames}`,
        measured.ssim.mean >= lookBelow.ssim,
        'The result is far from its source; look at the worst frame.',
        'look',
      )
    if (measured.xpsnr) {
      const { mean, worst, worstFrame } = measured.xpsnr
      const isFarOff = worst < farOff.below && mean - worst > farOff.apart
      const { rateControl } = spec.video
      const target = rateControl.kind === 'quality target' ? rateControl.xpsnr : null
      add(
        'XPSNR',
        target === null ? `over ${lookBelow.xpsnr} dB` : `${target} dB, within ${targetTolerance} dB`,
        `${mean.toFixed(1)} dB (worst ${worst.toFixed(1)})${ofFrames}`,
        !isFarOff && (target === null ? mean >= lookBelow.xpsnr : Math.abs(mean - target) <= targetTolerance),
        isFarOff
          ? `One frame is far less like its source than the others, at ${describeClock(worstFrame / toNumber(treatment.result.rate))}: look at it.`
          : target === null
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
function sameColourTag(found: string | null, wanted: string): boolean {
  return (
    found === wanted ||
    (found === 'bt470bg' && wanted === 'smpte170m') ||
    (found === 'smpte170m' && wanted === 'bt470bg')
  )
}
