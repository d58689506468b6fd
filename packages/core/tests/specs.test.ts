import { describe, expect, test } from 'vitest'
import {
  builtInSpecs,
  pictureSpecs,
  DeliverySpec,
  describeSpec,
  describeSpecLines,
  levelProblem,
  lowestLevel,
  pictureCodec,
  pictureFileSpecs,
  rational,
  specProblems,
  withContainer,
  type PictureSpec,
} from '../src/index.ts'
import { spec } from './examples.ts'

const hd = { width: 1920, height: 1080 }

describe('specs of pictures in files of their own', () => {
  test.each(pictureFileSpecs.map(entry => [entry.name, entry] as const))('%s makes sense', (_, entry) => {
    expect(specProblems(entry)).toEqual([])
  })

  const still = pictureFileSpecs.find(entry => entry.key === 'still-web')!
  const frames = pictureFileSpecs.find(entry => entry.key === 'frames-exr')!
  test('have no sound that they cannot hold, and say nothing that their format cannot', () => {
    expect(specProblems({ ...still, audio: frames.audio })).toEqual([
      'JPEG holds a picture alone: leave the sound out.',
    ])
    expect(specProblems({ ...frames, dotsPerInch: 300, keepsCameraData: true })).toEqual([
      'OpenEXR states no dots per inch.',
      'OpenEXR holds no camera data here.',
    ])
    const stored = { ...frames.video.frame, squarePixels: false }
    expect(specProblems({ ...frames, video: { ...frames.video, frame: stored } })).toEqual([
      'OpenEXR files show every pixel as a square: choose square pixels, or the picture would be distorted.',
    ])
  })

  test('keep what fits when they become another kind', () => {
    const film = withContainer(frames, 'mp4') as PictureSpec
    expect(specProblems(film)).toEqual([])
    expect([film.numbering, film.video.codec, film.audio?.codec]).toEqual([undefined, 'h264', 'aac'])
    const print = withContainer({ ...still, dotsPerInch: 300, keepsCameraData: true }, 'tif') as PictureSpec
    expect(specProblems(print)).toEqual([])
    expect([print.dotsPerInch, print.keepsCameraData, print.audio]).toEqual([300, undefined, null])
    const one = withContainer(spec('playback-box'), 'jpg') as PictureSpec
    expect(specProblems(one)).toEqual([])
    expect([one.audio, one.video.maxFrameRate, one.video.frame.squarePixels]).toEqual([null, null, true])
  })
})

describe('codec levels', () => {
  // ITU-T H.264 table A-1: level 4.1 carries 8192 macroblocks a frame and 245760 a second; 1920x1080 has 120 x 68 = 8160, so 30.1 fps.
  test('H.264 level 4.1 carries 1080p30 but neither 1080p50 nor 4K', () => {
    expect(levelProblem(pictureCodec('h264'), '4.1', hd, rational(30))).toBeNull()
    expect(levelProblem(pictureCodec('h264'), '4.1', hd, rational(50))).toBe(
      'H.264 level 4.1 cannot carry 1920x1080 at 50 fps: at most 30.1.',
    )
    expect(levelProblem(pictureCodec('h264'), '4.1', { width: 3840, height: 2160 }, rational(25))).toContain(
      'the frame is too large',
    )
  })

  test('a side longer than the level allows is refused though the area fits', () => {
    // sqrt(8 x 8192) = 256 macroblocks = 4096 columns.
    expect(levelProblem(pictureCodec('h264'), '4.1', { width: 4112, height: 256 }, rational(25))).toContain('too large')
  })

  test('the lowest level is found', () => {
    expect(lowestLevel(pictureCodec('h264'), { width: 720, height: 576 }, rational(25))).toBe('3')
    expect(lowestLevel(pictureCodec('h264'), { width: 1280, height: 720 }, rational(30))).toBe('3.1')
    expect(lowestLevel(pictureCodec('h264'), hd, rational(60))).toBe('4.2')
    // ITU-T H.265 table A.8: 4096x2160 at 60 needs level 5.1.
    expect(lowestLevel(pictureCodec('hevc'), { width: 4096, height: 2160 }, rational(60))).toBe('5.1')
    expect(lowestLevel(pictureCodec('hevc'), { width: 8192, height: 4320 }, rational(120))).toBeNull()
  })

  // AV1 bitstream specification, A.3: 4.0 shows 70,778,880 samples a second, which is 34.1 frames of 1920x1080; 5.1 carries 2160p60.
  test('AV1 level 4.0 carries 1080p30, and 5.1 is the lowest for 2160p60', () => {
    const av1 = pictureCodec('av1')
    expect(levelProblem(av1, '4.0', hd, rational(30))).toBeNull()
    expect(levelProblem(av1, '4.0', hd, rational(60))).toBe(
      'AV1 level 4.0 cannot carry 1920x1080 at 60 fps: at most 34.1.',
    )
    expect(lowestLevel(av1, { width: 3840, height: 2160 }, rational(60))).toBe('5.1')
    // The sides have limits of their own: 2.0 is at most 2048 wide and 1152 high.
    expect(levelProblem(av1, '2.0', { width: 64, height: 1200 }, rational(25))).toContain('too large')
    expect(levelProblem(av1, '2.0', { width: 1200, height: 64 }, rational(25))).toBeNull()
    expect([av1.levels!.statedAs!(0), av1.levels!.statedAs!(8), av1.levels!.statedAs!(13)]).toEqual([
      '2.0',
      '4.0',
      '5.1',
    ])
  })

  // VP9 bitstream specification, annex A: 4 shows 83,558,400 samples a second, which is 40.3 frames of 1920x1080.
  test('VP9 level 4 carries 1080p30 and not 1080p60', () => {
    const vp9 = pictureCodec('vp9')
    expect(levelProblem(vp9, '4', hd, rational(30))).toBeNull()
    expect(levelProblem(vp9, '4', hd, rational(60))).toBe('VP9 level 4 cannot carry 1920x1080 at 60 fps: at most 40.3.')
    expect(lowestLevel(vp9, hd, rational(60))).toBe('4.1')
    expect(levelProblem(vp9, '1', { width: 520, height: 64 }, rational(10))).toContain('too large')
  })

  test('an unknown level is said to be unknown', () => {
    expect(levelProblem(pictureCodec('h264'), '9', hd, rational(25))).toBe('H.264 has no level 9 that Hematine knows.')
  })
})

describe('built-in specs', () => {
  test.each(builtInSpecs.map(entry => [entry.key, entry] as const))(
    '%s makes sense and fits its schema',
    (_, entry) => {
      expect(DeliverySpec.parse(entry)).toEqual(entry)
      expect(specProblems(entry)).toEqual([])
      expect(describeSpecLines(entry).every(([, value]) => value.length > 0)).toBe(true)
    },
  )

  test('really differ: no two make the same picture, sound and container', () => {
    const made = builtInSpecs.map(entry => `${describeSpec(entry)} ${entry.nameSuffix}`)
    expect(new Set(made).size).toBe(builtInSpecs.length)
    expect(new Set(pictureSpecs.map(entry => entry.video.codec))).toEqual(
      new Set(['h264', 'hevc', 'prores', 'dnxhd', 'mpeg2video', 'ffv1', 'av1']),
    )
  })
})

describe('specs that make no sense', () => {
  test('say why', () => {
    const box = spec('playback-box')
    const small = spec('small-mp4')
    expect(specProblems({ ...box, container: 'webm' })).toEqual([
      'WebM does not carry AAC sound. It carries Opus and Vorbis.',
      'WebM does not carry H.264. It carries AV1 and VP9.',
    ])
    expect(specProblems({ ...box, video: { ...box.video, maxFrameRate: rational(60) } })).toEqual([
      'H.264 level 4.1 cannot carry 1920x1080 at 60 fps: at most 30.1. Level 4.2 carries it.',
    ])
    expect(specProblems({ ...box, video: { ...box.video, rateControl: { kind: 'lossless' } } })).toEqual([
      'H.264 has no rate control "lossless"; it has constant quality, average rate, size cap and quality target.',
    ])
    expect(specProblems({ ...box, video: { ...box.video, pixelFormat: 'yuv422p10le' } })).toEqual([
      'H.264 high holds yuv420p, not yuv422p10le.',
    ])
    expect(
      specProblems({ ...box, video: { ...box.video, rateControl: { kind: 'constant quality', value: 55 } } }),
    ).toEqual(['The quality of H.264 goes from 10 (best) to 40, so 55 is none.'])
    expect(specProblems({ ...box, video: { ...box.video, effort: 'heroic' } })).toEqual([
      'H.264 knows the efforts ultrafast, veryfast, fast, medium, slow and veryslow.',
    ])
    expect(
      specProblems({ ...small, video: { ...small.video, fine: { betweenFrames: 4, references: 9, suits: 'film' } } }),
    ).toEqual([
      'HEVC does not offer 4 B frames: leave it as the effort sets it.',
      'HEVC does not offer 9 reference frames: leave it as the effort sets it.',
      'HEVC does not offer tuning to film: leave it as the effort sets it.',
    ])
    expect(specProblems({ ...box, video: { ...box.video, fine: { closedGroups: true } } })).toEqual([
      'H.264 does not offer a choice of closed GOPs: leave it as the effort sets it.',
    ])
    const average = { kind: 'average rate' as const, bitsPerSecond: 4e6, peakBitsPerSecond: 3e6, bufferBits: null }
    expect(specProblems({ ...box, video: { ...box.video, rateControl: average } })).toEqual([
      'The peak rate is below the average rate.',
      'A peak rate needs the size of the buffer that it is meant for, and the other way round.',
    ])
    const master = spec('editing-master')
    expect(specProblems({ ...master, video: { ...master.video, keyframeSeconds: 2 } })).toEqual([
      'Every frame of ProRes stands alone, so there is no distance of keyframes.',
    ])
    expect(specProblems({ ...small, video: { ...small.video, scan: 'as source' } })).toEqual([
      'HEVC does not code fields: choose a progressive scan.',
    ])
    expect(specProblems({ ...box, audio: { ...box.audio!, maxChannels: 16 } })).toEqual([
      'AAC holds at most 8 channels, not 16.',
    ])
    const web = spec('open-web-webm')
    expect(specProblems({ ...web, audio: { ...web.audio!, sampleRate: 44_100 } })).toEqual([
      'Opus runs at 48000 samples a second, not at 44100.',
    ])
  })
})
