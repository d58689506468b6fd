import {
  pictureSpecs,
  rational,
  soundSpecs,
  type PictureSpec,
  type SoundSpec,
  type SourceFacts,
  type VideoFacts,
} from '../src/index.ts'

/** Facts of a plain HD source, with changes. */
export function facts(changes: Partial<VideoFacts> = {}): SourceFacts {
  return {
    container: 'MP4',
    bytes: 13_300_000,
    durationSeconds: 120,
    bitsPerSecond: 886_000,
    video: {
      streamIndex: 0,
      codec: 'h264',
      profile: 'High',
      width: 1920,
      height: 1080,
      pixelAspect: rational(1),
      frameRate: rational(25),
      rateIs: 'constant',
      frameCount: 3000,
      frameCountFrom: 'container',
      startTicks: 0,
      timeBase: rational(1, 12_800),
      scan: { kind: 'progressive', firstField: null, framesRead: 13 },
      pixelFormat: 'yuv420p',
      bitDepth: 8,
      isRgb: false,
      chroma: '4:2:0',
      colour: { range: 'limited', primaries: 'bt709', transfer: 'bt709', matrix: 'bt709' },
      bitsPerSecond: 800_000,
      ...changes,
    },
    audio: [
      {
        streamIndex: 1,
        codec: 'aac',
        profile: 'LC',
        channels: 2,
        layout: 'stereo',
        sampleRate: 48_000,
        bitsPerSecond: 128_000,
        language: 'eng',
        title: null,
      },
    ],
    subtitles: [],
    remarks: [],
  }
}

/** A wide 576i disc title with two tracks. */
export const discFacts: SourceFacts = {
  ...facts({
    codec: 'mpeg2video',
    profile: 'Main',
    width: 720,
    height: 576,
    pixelAspect: rational(64, 45),
    frameCount: 350,
    frameCountFrom: 'length',
    timeBase: rational(1, 90_000),
    scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 },
    colour: { range: 'limited', primaries: 'bt470bg', transfer: 'smpte170m', matrix: 'bt470bg' },
  }),
  container: 'MPEG program stream',
  durationSeconds: 14,
  audio: [1, 2].map(streamIndex => ({
    streamIndex,
    codec: 'ac3',
    profile: null,
    channels: 2,
    layout: 'stereo',
    sampleRate: 48_000,
    bitsPerSecond: 192_000,
    language: null,
    title: null,
  })),
}

export function spec(key: string): PictureSpec {
  return pictureSpecs.find(entry => entry.key === key)!
}

export function soundSpec(key: string): SoundSpec {
  return soundSpecs.find(entry => entry.key === key)!
}
