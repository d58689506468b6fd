import { describe, expect, test } from 'vitest'
import {
  deriveTreatment,
  describeSpecLines,
  extentOf,
  judge,
  specProblems,
  withContainer,
  type PictureCheckMeasurement,
  type PictureSpec,
  type SourceFacts,
  type Step,
  type VideoFacts,
} from '../src/index.ts'
import { facts, spec as builtIn } from './examples.ts'

/** A picture that nothing has to be done to is copied where the spec wants that; why it is not is said. */

const own: Partial<VideoFacts> = { codec: 'h264', profile: 'High', level: '4', pixelFormat: 'yuv420p' }
const source = (video: Partial<VideoFacts> = {}, rest: Partial<SourceFacts> = {}): SourceFacts => ({
  ...facts({ width: 1280, height: 720, pixelAspect: { num: 1, den: 1 }, ...own, ...video }),
  container: 'MKV',
  ...rest,
})
const box = builtIn('playback-box')
const spec = (copied: PictureSpec['video']['copied'], video: Partial<PictureSpec['video']> = {}): PictureSpec => ({
  ...box,
  video: { ...box.video, frame: { ...box.video.frame, enlarge: false }, copied, ...video },
})
const why = (from: SourceFacts, wanted: PictureSpec, steps: Step[] = []): string => {
  const treatment = deriveTreatment(from, wanted, steps)
  return treatment.copied ? 'copied' : treatment.notes![0]!
}

describe('where it fits', () => {
  const fitting = spec('where it fits')

  test('a picture of the very form that the spec wants is copied, and so are all its frames', () => {
    const treatment = deriveTreatment(source(), fitting)
    expect(treatment).toMatchObject({ copied: true, steps: [], result: { pixelFormat: 'yuv420p' } })
    expect(treatment.result.frameCount).toBe(source().video!.frameCount)
    expect(treatment.notes).toContain('The picture is copied untouched; its keyframes stay where they are.')
  })

  test.each<[string, Partial<VideoFacts>, string]>([
    [
      'codec',
      { codec: 'hevc', profile: 'Main' },
      'The picture is in HEVC, and Playback box MP4 wants H.264: it is encoded.',
    ],
    [
      'profile',
      { profile: 'High 10' },
      'The picture is of profile High 10, and Playback box MP4 wants high: it is encoded.',
    ],
    ['level', { level: '5.1' }, 'The picture is of level 5.1, and Playback box MP4 allows 4.1: it is encoded.'],
    [
      'no level',
      { level: undefined },
      'The picture is of a level that is not stated, and Playback box MP4 allows 4.1: it is encoded.',
    ],
    [
      'rate',
      { frameRate: { num: 50, den: 1 } },
      'The picture does not meet Playback box MP4 as it is (50 fps is more than the 30 that Playback box MP4 allows. 50 % of the frames are dropped): it is encoded.',
    ],
    ['varying rate', { rateIs: 'variable' }, 'The picture has no constant rate: it is encoded.'],
    [
      'gaps',
      { gaps: { count: 1, seconds: 2, places: [] } },
      'The picture has gaps, which the result would have too: it is encoded.',
    ],
    [
      'turned',
      { turned: 'turned by 90 degrees' },
      'The picture is to be turned or cropped, as its file says: it is encoded.',
    ],
  ])('another %s is encoded, and the reason said', (_, video, reason) => {
    expect(why(source(video), fitting)).toBe(reason)
  })

  test('a lower level, or a plainer profile that players of the wished one take, fits', () => {
    expect(why(source({ level: '3.1' }), fitting)).toBe('copied')
    expect(why(source({ level: '2.1', profile: 'Constrained Baseline' }), fitting)).toBe('copied')
  })

  test('what a person does to the picture is done; what is done to the sound leaves it alone', () => {
    expect(why(source(), fitting, [{ kind: 'crop', left: 8, top: 8, right: 8, bottom: 8 } as Step])).toContain(
      'is changed by the step "Crop"',
    )
    expect(why(source(), fitting, [{ kind: 'keep-tracks', tracks: [] } as unknown as Step])).toBe('copied')
  })

  test('fields stay where the spec keeps them, and are taken apart where it does not', () => {
    const fields = source({ scan: { kind: 'interlaced', firstField: 'top', framesRead: 10 } })
    expect(why(fields, spec('where it fits', { scan: 'as source' }))).toBe('copied')
    expect(why(fields, fitting)).toContain('is progressive')
  })

  test('a source that shows fewer pictures than its file holds is not copied: the hidden ones would show', () => {
    const promised = { frames: source().video!.frameCount + 2, seconds: null }
    expect(why(source({}, { promised }), fitting)).toContain('does not show all the pictures that its file promises')
  })

  test('a cap and a rate are kept', () => {
    const capped = spec('where it fits', { rateControl: { kind: 'size cap', bytes: 10_000_000 } })
    expect(why(source({}, { bytes: 9_000_000 }), capped)).toBe('copied')
    expect(why(source({}, { bytes: 9_900_000 }), capped)).toContain('more than fits under the cap')
    const rate = { kind: 'average rate', bitsPerSecond: 4_000_000, peakBitsPerSecond: null, bufferBits: null } as const
    expect(why(source({ bitsPerSecond: 3_900_000 }), spec('where it fits', { rateControl: rate }))).toBe('copied')
    expect(why(source({ bitsPerSecond: 4_100_000 }), spec('where it fits', { rateControl: rate }))).toContain('allows')
  })
})

describe('in any codec', () => {
  test('what the container holds is copied in its own form; what it does not hold is encoded as the spec says', () => {
    const hevc = source({
      codec: 'hevc',
      profile: 'Main 10',
      level: undefined,
      pixelFormat: 'yuv420p10le',
      bitDepth: 10,
    })
    const treatment = deriveTreatment(hevc, spec('in any codec'))
    expect(treatment).toMatchObject({ copied: true, result: { pixelFormat: 'yuv420p10le' } })
    const ffv1 = source({ codec: 'ffv1', profile: null, level: undefined })
    expect(why(ffv1, spec('in any codec'))).toBe('The picture is in FFV1, which MP4 does not get: it is encoded.')
  })

  test('frame and rate of the spec hold all the same', () => {
    expect(why(source({ codec: 'mpeg4', profile: null, width: 3840, height: 2160 }), spec('in any codec'))).toContain(
      'does not meet Playback box MP4 as it is',
    )
  })

  test('other containers, joins and files of single pictures are encoded', () => {
    for (const [rest, words] of [
      [{ container: 'AVI' }, 'comes from AVI, and is copied from'],
      [{ joined: [] }, 'is joined of several sources'],
    ] as const)
      expect(why(source({}, rest as Partial<SourceFacts>), spec('in any codec'))).toContain(words)
    expect(why(source({ frameCountFrom: 'files' }), spec('in any codec'))).toContain('is in files of its own')
  })
})

test('a spec says that it copies, and that is refused where it makes no sense', () => {
  const lines = Object.fromEntries(describeSpecLines(spec('in any codec')))
  expect(lines.picture).toBe(
    'untouched, in any codec that the container holds, where nothing has to be done to it; else H.264 high, level 4.1',
  )
  expect(specProblems(spec('where it fits'))).toEqual([])
  expect(specProblems(spec('where it fits', { rateControl: { kind: 'quality target', xpsnr: 40 } }))).toEqual([
    'A measured quality is that of a picture that is encoded: leave the copying out, or hold another quality.',
  ])
  // Another container takes what it cannot have away.
  expect(withContainer(spec('where it fits'), 'images').video).not.toHaveProperty('copied')
})

test('the size of a copy is what was counted, and no cap bends it', () => {
  const capped = spec('where it fits', { rateControl: { kind: 'size cap', bytes: 10_000_000 } })
  const from = source({}, { bytes: 9_000_000 })
  expect(extentOf({ spec: capped, treatment: deriveTreatment(from, capped) })).toMatchObject({ sizeIs: 'by format' })
  expect(extentOf({ spec: capped, treatment: deriveTreatment(from, capped) })).not.toHaveProperty('capBytes')
})

describe('the check of a copy', () => {
  const from = source()
  const wanted = spec('in any codec')
  const treatment = deriveTreatment(from, wanted)
  const frames = treatment.result.frameCount
  const measured: PictureCheckMeasurement = {
    container: 'MP4',
    bytes: 5_000_000,
    sourceBytes: 5_000_000,
    sha256: '0'.repeat(64),
    sourceDecodeErrors: 0,
    audio: [],
    copy: { packets: frames, sourcePackets: frames, different: 0 },
    video: {
      codec: 'h264',
      profile: 'High',
      level: '4',
      width: 1280,
      height: 720,
      pixelAspect: { num: 1, den: 1 },
      frameRate: treatment.result.rate,
      pixelFormat: 'yuv420p',
      colour: { range: null, primaries: null, transfer: null, matrix: null },
      interlaced: false,
      framesDecoded: frames,
      decodeErrors: 0,
      durationSeconds: frames / (treatment.result.rate.num / treatment.result.rate.den),
      startTicks: 0,
      timeBase: { num: 1, den: 1000 },
    },
    treatedFrames: frames,
    sourceAudioSeconds: [],
    ssim: null,
    xpsnr: null,
    identical: true,
  }
  const verdicts = (changes: Partial<PictureCheckMeasurement>) =>
    judge({ ...measured, ...changes }, wanted, treatment, { facts: from, findings: [] })
      .lines.filter(line => line.verdict !== 'pass')
      .map(line => [line.name, line.verdict])

  test("passes where every packet is the source's own", () => {
    expect(verdicts({})).toEqual([])
  })

  test('fails for a packet that is lost, changed or not counted, and for frames that differ', () => {
    expect(verdicts({ copy: { packets: frames - 1, sourcePackets: frames, different: 0 } })).toEqual([
      ['picture untouched', 'fail'],
    ])
    expect(verdicts({ copy: { packets: frames, sourcePackets: frames, different: 1 } })).toEqual([
      ['picture untouched', 'fail'],
    ])
    expect(verdicts({ copy: undefined })).toEqual([['picture untouched', 'fail']])
    expect(verdicts({ identical: false, ssim: { mean: 0.99, worst: 0.9, worstFrame: 1 } })).toEqual([
      ['likeness', 'fail'],
    ])
  })

  test('a source that does not decode whole is to be looked at, and not failed for it: its copy is as it is', () => {
    const video = { ...measured.video, decodeErrors: 2 }
    expect(verdicts({ video, sourceDecodeErrors: 2 })).toEqual([
      ['decodes', 'look'],
      ['source decodes', 'look'],
    ])
    expect(verdicts({ video, sourceDecodeErrors: 0 })).toContainEqual(['decodes', 'fail'])
  })
})
