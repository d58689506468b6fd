import {
  containers,
  pictureCodec,
  soundCodec,
  type Container,
  type PictureSpec,
  type RateControl,
} from '@hematine/core'

/** Sound of a codec in stereo, at its usual rate. */
export const soundIn = (key: string) => ({
  codec: key,
  bitsPerSecondPerChannel: soundCodec(key).usualBits,
  maxChannels: 2,
  sampleRate: 48_000,
})

/** A spec of a codec as its first profile, least effort and usual settings make it; frame, rate and samples stay as far as they can. */
export function pictureSpec(
  container: Container,
  key: string,
  sound: string | null,
  rateControl?: RateControl,
): PictureSpec {
  const codec = pictureCodec(key)
  const profile = codec.profiles[0] ?? null
  const formats = profile ? profile.pixelFormats : codec.pixelFormats
  const [kind] = codec.rates
  return {
    key: 'pair',
    name: 'Pair',
    purpose: 'A test.',
    container,
    nameSuffix: '-pair',
    audio: sound === null ? null : soundIn(sound),
    video: {
      codec: key,
      profile: profile?.key ?? null,
      level: null,
      pixelFormat: formats[0] ?? null,
      scan: 'progressive',
      deinterlaceTo: 'frame rate',
      frame: {
        maxWidth: 16_384,
        maxHeight: 16_384,
        enlarge: false,
        squarePixels: containers[container].makes !== 'moving picture',
      },
      maxFrameRate: null,
      rateControl:
        rateControl ??
        (kind === 'constant quality'
          ? { kind, value: codec.quality!.usual }
          : { kind: kind as 'lossless' | 'set by profile' }),
      effort: codec.efforts[0]?.value ?? null,
      keyframeSeconds: codec.everyFrameAlone ? null : 0.5,
    },
  }
}

/** Every pair of container and picture codec that is offered for films, each with one of the container's sound codecs in turn. */
export const filmPairs = (Object.keys(containers) as Container[])
  .filter(container => containers[container].makes === 'moving picture')
  .flatMap(container =>
    containers[container].picture.map(
      (codec, index) =>
        [container, codec, containers[container].sound[index % containers[container].sound.length]!] as const,
    ),
  )
