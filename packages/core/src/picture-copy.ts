import { levelRank, pictureCodec, sameProfile } from './codecs/index.ts'
import { describeCodec } from './codec-names.ts'
import { containerFacts, describeContainer } from './spec/container.ts'
import type { PictureSpec } from './spec/schema.ts'
import { describePixelFormat, type SourceFacts, type VideoFacts } from './facts.ts'
import { describeBitRate, describeBytes } from './format.ts'

/** Containers, as facts name them, that pictures are copied from: their packets state when they are shown, or their reader works it out. */
const copiedFrom = ['MP4', 'MOV', 'MKV', 'WebM', 'MPEG transport stream', 'MPEG program stream']
/** What a copied result has besides the source's bytes, as a part of a cap. */
const roomUnderCap = 0.02

/**
 * Why a source's picture cannot be copied untouched into what a spec makes, as the end of a sentence that begins with "the picture"; null where it
 * can, as far as the source itself decides it. What the treatment does to a picture decides the rest.
 */
export function whyNotCopied(facts: SourceFacts, spec: PictureSpec): string | null {
  const video = facts.video!
  const problems = [
    facts.joined ? 'is joined of several sources' : null,
    video.frameCountFrom === 'files' ? 'is in files of its own' : null,
    copiedFrom.includes(facts.container) || facts.disc
      ? null
      : `comes from ${facts.container}, and is copied from MP4, MOV, MKV, WebM, MPEG streams and discs alone`,
    containerFacts(spec.container).encodedOnly
      ? `goes into ${describeContainer(spec.container)}, into which nothing is copied`
      : null,
    containerFacts(spec.container).picture.includes(video.codec)
      ? null
      : `is in ${describeCodec(video.codec)}, which ${describeContainer(spec.container)} does not get`,
    spec.video.copied === 'where it fits' ? formProblem(video, spec) : null,
    sizeProblem(facts, spec),
    video.rateIs === 'variable' ? 'has no constant rate' : null,
    video.gaps?.count || video.repeats || facts.missingFrames?.length
      ? 'has gaps, which the result would have too'
      : null,
    (facts.promised?.frames ?? video.frameCount) !== video.frameCount
      ? 'does not show all the pictures that its file promises'
      : null,
    video.turned || video.cutOff ? 'is to be turned or cropped, as its file says' : null,
    facts.jumps?.length || facts.courses?.some(course => course.stream === video.streamIndex)
      ? 'has times that jump'
      : null,
  ]
  return problems.find(problem => problem !== null) ?? null
}

/** Codec, profile, level and samples, which must be the spec's own. */
function formProblem({ codec, profile, level, pixelFormat }: VideoFacts, { name, video }: PictureSpec): string | null {
  if (codec !== video.codec) return `is in ${describeCodec(codec)}, and ${name} wants ${describeCodec(video.codec)}`
  if (video.profile !== null && (profile === null || !sameProfile(profile, codec, video.profile)))
    return `is of ${profile === null ? 'a profile that is not stated' : `profile ${profile}`}, and ${name} wants ${video.profile}`
  if (video.level !== null) {
    const [own, most] = [levelRank(codec, level ?? null), levelRank(codec, video.level)]
    if (own === null || most === null || own > most)
      return `is of ${own === null ? 'a level that is not stated' : `level ${level}`}, and ${name} allows ${video.level}`
  }
  const wanted = pictureCodec(codec).profiles.find(entry => entry.key === video.profile)?.decodesAs ?? video.pixelFormat
  if (wanted === null || wanted === pixelFormat) return null
  const words = (format: string) => `${describePixelFormat(format).bitDepth} bit ${describePixelFormat(format).chroma}`
  return `has samples of ${words(pixelFormat)}, and ${name} wants ${words(wanted)}`
}

/** A rate or a size that the spec limits. */
function sizeProblem({ video, bytes }: SourceFacts, { video: { rateControl } }: PictureSpec): string | null {
  if (rateControl.kind === 'size cap' && bytes > rateControl.bytes * (1 - roomUnderCap))
    return `comes from a file of ${describeBytes(bytes)}, more than fits under the cap`
  if (rateControl.kind !== 'average rate') return null
  const rate = video!.bitsPerSecond
  if (rate !== null && rate <= rateControl.bitsPerSecond) return null
  return `has ${rate === null ? 'a rate that is not stated' : describeBitRate(rate)}, and the spec allows ${describeBitRate(rateControl.bitsPerSecond)}`
}

/**
 * The spec that a copied picture is worked out and judged by: the form that the source has, every frame the same. What the spec says of frame, scan and rate
 * stays.
 */
export function asCopied(spec: PictureSpec, video: VideoFacts): PictureSpec {
  const own = { codec: video.codec, profile: null, level: null, pixelFormat: null }
  return {
    ...spec,
    video: {
      ...spec.video,
      ...(spec.video.copied === 'in any codec' ? own : { pixelFormat: null }),
      rateControl: { kind: 'lossless' },
    },
  }
}
