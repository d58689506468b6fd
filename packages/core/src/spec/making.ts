import { hardwareFormats, isHardwareCodec, pictureCodec, soundCodec, type RateKind } from '../codecs/index.ts'
import { containerFacts, outputKind, type Container, type ContainerFacts, type OutputKind } from './container.ts'
import type { DeliverySpec, PictureSpec, RateControl, SoundSpec, SpecSound, SpecTags } from './schema.ts'

/** A rate control of a kind with a codec's usual figures. */
export function usualRate(codec: string, kind: RateKind): RateControl {
  switch (kind) {
    case 'constant quality':
      return { kind, value: pictureCodec(codec).quality?.usual ?? 20 }
    case 'average rate':
      return { kind, bitsPerSecond: 4_000_000, peakBitsPerSecond: null, bufferBits: null }
    case 'size cap':
      return { kind, bytes: 25_000_000 }
    case 'quality target':
      return { kind, xpsnr: 40 }
    case 'set by profile':
    case 'lossless':
      return { kind }
  }
}

/** The sound part of a spec with a codec's usual figures, as near to another as the codec can be. */
export function withSoundCodec<Sound extends NonNullable<DeliverySpec['audio']>>(sound: Sound, key: string): Sound {
  const codec = soundCodec(key)
  const { sampleRate } = sound
  const rateFits = codec.sampleRates === null || (sampleRate !== null && codec.sampleRates.includes(sampleRate))
  return {
    ...sound,
    codec: key,
    bitsPerSecondPerChannel: codec.usualBits,
    maxChannels: Math.min(sound.maxChannels, codec.mostChannels),
    sampleRate: rateFits ? sampleRate : 48_000,
  }
}

/** The picture part of a spec in another codec, with that codec's usual settings; frame, rate and scan stay as far as the codec allows. */
export function withPictureCodec(video: PictureSpec['video'], key: string): PictureSpec['video'] {
  const codec = pictureCodec(key)
  const profile = codec.profiles[0] ?? null
  const formats = profile ? profile.pixelFormats : codec.pixelFormats
  const { fine: _fine, encoder, ...rest } = video
  return {
    ...rest,
    ...(encoder && isHardwareCodec(key) ? { encoder } : {}),
    codec: key,
    profile: profile?.key ?? null,
    level: null,
    pixelFormat: formats[0] ?? null,
    scan: codec.keepsFields ? video.scan : 'progressive',
    rateControl: usualRate(key, codec.rates[0]!),
    effort: codec.efforts.find(effort => effort.says === 'balanced')?.value ?? codec.efforts[0]?.value ?? null,
    keyframeSeconds: codec.everyFrameAlone ? null : (video.keyframeSeconds ?? 2),
  }
}

/** The picture part of a spec by another encoder; what graphics devices are not asked for becomes what they are. */
export function withEncoder(video: PictureSpec['video'], encoder: 'hardware' | null): PictureSpec['video'] {
  const { encoder: _before, fine, ...rest } = video
  if (encoder === null) return fine ? { ...rest, fine } : rest
  const codec = pictureCodec(video.codec)
  const isTaken = (format: string | null) => (hardwareFormats as readonly (string | null)[]).includes(format)
  const profile = codec.profiles.find(({ pixelFormats }) => pixelFormats.some(isTaken))
  const fits = isTaken(video.pixelFormat) || !profile
  return {
    ...rest,
    ...(fits ? {} : { profile: profile.key, pixelFormat: profile.pixelFormats.find(isTaken)! }),
    encoder,
    scan: 'progressive',
    rateControl: video.rateControl.kind === 'size cap' ? usualRate(video.codec, 'constant quality') : video.rateControl,
  }
}

/** The picture part of a spec in another profile of its codec. */
export function withProfile(video: PictureSpec['video'], key: string): PictureSpec['video'] {
  const profile = pictureCodec(video.codec).profiles.find(entry => entry.key === key)
  return { ...video, profile: key, pixelFormat: profile?.pixelFormats[0] ?? null }
}

/** A spec in another container; codecs that it does not carry become the first that it does, and what it does not hold at all goes. */
export function withContainer(spec: DeliverySpec, container: Container): DeliverySpec {
  const holds = containerFacts(container)
  const { numbering, dotsPerInch, keepsCameraData, subtitles, keepsChapters, tags, pieces, sheet, ...others } =
    spec as PictureSpec
  const rest = {
    ...others,
    ...(pieces ? { pieces } : {}),
    ...(keepsChapters && holds.chapters ? { keepsChapters } : {}),
    ...(tags && holds.tags ? { tags: holds.covers ? tags : withoutCover(tags) } : {}),
  }
  const before = spec.audio ?? usualSound
  const audio =
    holds.sound.length === 0
      ? null
      : holds.sound.includes(before.codec)
        ? before
        : withSoundCodec(before, holds.sound[0]!)
  if (holds.picture.length === 0)
    return { ...rest, container, video: null, audio: audio && encoded(audio, 'sound') } as SoundSpec
  const video = spec.video ?? usualPicture
  const { remarks } = pictureCodec(holds.picture.includes(video.codec) ? video.codec : holds.picture[0]!)
  const fits = inOrder(holds.picture.includes(video.codec) ? video : withPictureCodec(video, holds.picture[0]!), holds)
  return {
    ...rest,
    container,
    // What had no sound by choice has none in another container either.
    audio:
      spec.audio === null && outputKind(spec) !== 'still'
        ? null
        : audio && {
            ...(holds.makes === 'moving picture' && !holds.encodedOnly ? audio : encoded(audio, holds.makes)),
            sampleRate: audio.sampleRate ?? 48_000,
          },
    video:
      holds.makes !== 'moving picture' ? asFiles(fits, holds.makes) : holds.encodedOnly ? withoutCopies(fits) : fits,
    ...(subtitles && holds.makes !== 'still' && (holds.subtitles.length > 0 || subtitles.files) ? { subtitles } : {}),
    ...(sheet && holds.makes !== 'still' ? { sheet } : {}),
    ...(numbering && holds.makes === 'image sequence' ? { numbering } : {}),
    ...(dotsPerInch !== undefined && remarks.includes('dots per inch') ? { dotsPerInch } : {}),
    ...(keepsCameraData && remarks.includes('camera data') ? { keepsCameraData } : {}),
  } as PictureSpec
}

/** Sound that is encoded, without what there is only beside a moving picture. */
function encoded<Sound extends SpecSound | SoundSpec['audio']>(
  { copied: _copied, stereoBeside, ...sound }: Sound,
  makes: OutputKind,
): Sound {
  return { ...sound, ...(stereoBeside && makes === 'moving picture' ? { stereoBeside } : {}) } as Sound
}

function withoutCover({ cover: _cover, ...tags }: SpecTags): SpecTags {
  return tags
}

/** Without B frames where a container keeps frames in the order in which they are shown. */
function inOrder(video: PictureSpec['video'], { countsPackets }: ContainerFacts): PictureSpec['video'] {
  if (!countsPackets || !video.fine?.betweenFrames) return video
  return { ...video, fine: { ...video.fine, betweenFrames: 0 } }
}

function withoutCopies({ copied: _copied, ...video }: PictureSpec['video']): PictureSpec['video'] {
  return video
}

/** Pictures in files of their own have square pixels, and a single one has no rate and is whole. */
function asFiles(
  { copied: _copied, holdsFrameRate, ...video }: PictureSpec['video'],
  makes: OutputKind,
): PictureSpec['video'] {
  const { shownAs: _shown, ...frame } = video.frame
  return {
    ...video,
    frame: { ...frame, squarePixels: true },
    ...(makes === 'still'
      ? { maxFrameRate: null, scan: 'progressive' as const, deinterlaceTo: 'frame rate' as const }
      : holdsFrameRate
        ? { holdsFrameRate }
        : {}),
  }
}

/** What a spec that had no sound gets. */
export const usualSound: SpecSound = {
  codec: 'aac',
  bitsPerSecondPerChannel: 80_000,
  maxChannels: 2,
  sampleRate: 48_000,
}

/** What a spec that had no picture gets. */
const usualPicture: PictureSpec['video'] = withPictureCodec(
  {
    codec: 'h264',
    profile: null,
    level: null,
    pixelFormat: null,
    scan: 'progressive',
    deinterlaceTo: 'frame rate',
    frame: { maxWidth: 1920, maxHeight: 1080, enlarge: false, squarePixels: false },
    maxFrameRate: null,
    rateControl: { kind: 'lossless' },
    effort: null,
    keyframeSeconds: null,
  },
  'h264',
)
