import { describe, expect, test } from 'vitest'
import { deriveTreatment, finding, judge, rational, type PictureCheckMeasurement } from '../src/index.ts'
import { discFacts, spec } from './examples.ts'

const box = spec('playback-box')
const counted = { ...discFacts, video: { ...discFacts.video!, frameCountFrom: 'packets' as const } }
const treatment = deriveTreatment(counted, box)
const sound = { codec: 'aac', channels: 2, sampleRate: 48_000, durationSeconds: 14, decodeErrors: 0 }
const good: PictureCheckMeasurement = {
  container: 'MP4',
  bytes: 5_000_000,
  sourceBytes: 8_400_896,
  sha256: '0'.repeat(64),
  video: {
    codec: 'h264',
    profile: 'High',
    level: '4.1',
    width: 1920,
    height: 1080,
    pixelAspect: rational(1),
    frameRate: rational(25),
    pixelFormat: 'yuv420p',
    colour: { range: 'limited', primaries: 'bt709', transfer: 'bt709', matrix: 'bt709' },
    interlaced: false,
    framesDecoded: 350,
    decodeErrors: 0,
    durationSeconds: 14,
    startTicks: 0,
    timeBase: rational(1, 12_800),
  },
  treatedFrames: 350,
  sourceDecodeErrors: 0,
  audio: [sound, sound],
  sourceAudioSeconds: [14, 14],
  ssim: { mean: 0.98, worst: 0.95, worstFrame: 12 },
  xpsnr: { mean: 41, worst: 36, worstFrame: 12 },
  identical: false,
}
const verdictOf = (changes: Partial<PictureCheckMeasurement>) => {
  const check = judge({ ...good, ...changes }, box, treatment)
  return { verdict: check.verdict, reasons: check.lines.filter(line => line.verdict !== 'pass').map(line => line.name) }
}
const video = (changes: Partial<PictureCheckMeasurement['video']>) => ({ video: { ...good.video, ...changes } })

describe('the check', () => {
  test('passes a result that is what it should be', () => {
    expect(verdictOf({})).toEqual({ verdict: 'pass', reasons: [] })
  })

  test.each([
    ['frames lost', video({ framesDecoded: 349, durationSeconds: 13.96 }), 'frames'],
    ['errors on decoding', video({ decodeErrors: 2 }), 'decodes'],
    ['another size', video({ width: 1440 }), 'frame size'],
    ['a bent shape', video({ pixelAspect: rational(4, 3) }), 'pixel aspect'],
    ['another rate', video({ frameRate: rational(50) }), 'frame rate'],
    ['fields where none should be', video({ interlaced: true }), 'scan'],
    ['another depth', video({ pixelFormat: 'yuv420p10le' }), 'pixel format'],
    ['SD colour tags on HD', video({ colour: { ...good.video.colour, matrix: 'smpte170m' } }), 'colour tags'],
    ['a higher level', video({ level: '5.1' }), 'level'],
    ['another profile', video({ profile: 'High 4:2:2' }), 'profile'],
    ['a lost track', { audio: [sound] }, 'sound tracks'],
    ['sound that ends early', { audio: [sound, { ...sound, durationSeconds: 12 }] }, 'sound 2 length'],
    ['another container', { container: 'MKV' }, 'container'],
  ] as [string, Partial<PictureCheckMeasurement>, string][])('fails %s', (_, changes, line) => {
    const { verdict, reasons } = verdictOf(changes)
    expect(verdict).toBe('fail')
    expect(reasons).toContain(line)
  })

  test('asks for a look where the source itself is short, damaged or out of step', () => {
    expect(
      verdictOf({
        treatedFrames: 210,
        ...video({ framesDecoded: 210, durationSeconds: 8.4 }),
        audio: [
          { ...sound, durationSeconds: 8.4 },
          { ...sound, durationSeconds: 8.4 },
        ],
        sourceAudioSeconds: [8.4, 8.4],
      }),
    ).toEqual({ verdict: 'look', reasons: ['source frames'] })
    expect(verdictOf({ sourceDecodeErrors: 3 })).toEqual({ verdict: 'look', reasons: ['source decodes'] })
    expect(verdictOf({ audio: [sound, { ...sound, durationSeconds: 13 }], sourceAudioSeconds: [14, 13] })).toEqual({
      verdict: 'look',
      reasons: ['sound 2 length'],
    })
  })

  test('does not blame a source for an estimate of ours', () => {
    const short = {
      ...good,
      treatedFrames: 340,
      ...video({ framesDecoded: 340, durationSeconds: 13.6 }),
      audio: [{ ...sound, durationSeconds: 13.6 }],
      sourceAudioSeconds: [13.6],
    }
    expect(judge(short, box, deriveTreatment(discFacts, box)).lines.some(line => line.name === 'source frames')).toBe(
      false,
    )
    expect(judge(short, box, treatment).lines.find(line => line.name === 'source frames')!.verdict).toBe('look')
  })

  test('wants a look where something was found and left in, or the source lacks something', () => {
    const found = [
      finding('noise', 'fault', 'Clear noise: 4.2 codes.', { sure: 0.9, data: { weight: 'clear' } }),
      finding('cut-short', 'fault', 'The file promises 500 frames and holds 350.', { sure: 0.95 }),
    ]
    const check = judge(good, box, treatment, { facts: counted, findings: found })
    expect(check.verdict).toBe('look')
    expect(check.lines.filter(line => line.verdict === 'look').map(line => line.reason)).toEqual([
      'The file promises 500 frames and holds 350. The result has what there is.',
      'Clear noise: 4.2 codes. It is still there: nothing was done about it. Denoise would have cured it.',
    ])
  })

  test('sound that a step moved ends so much later or earlier than its picture', () => {
    for (const milliseconds of [800, -800]) {
      const moved = deriveTreatment(discFacts, box, [{ kind: 'sound-delay', milliseconds }])
      const ends = (seconds: number) =>
        judge(
          {
            ...good,
            audio: [
              { ...sound, durationSeconds: seconds },
              { ...sound, durationSeconds: seconds },
            ],
          },
          box,
          moved,
        ).verdict
      expect(ends(14 + milliseconds / 1000)).toBe('pass')
      expect(ends(14)).toBe('fail')
    }
  })

  test('asks for a look at a result far from its source', () => {
    expect(verdictOf({ ssim: { mean: 0.85, worst: 0.5, worstFrame: 3 } }).verdict).toBe('look')
    expect(verdictOf({ xpsnr: { mean: 25, worst: 20, worstFrame: 3 } }).verdict).toBe('look')
  })

  test('one frame of rounding in a length worked out from the container is nothing', () => {
    expect(verdictOf({ treatedFrames: 349, ...video({ framesDecoded: 349, durationSeconds: 13.96 }) }).verdict).toBe(
      'pass',
    )
  })

  test('every line that is not a pass says why', () => {
    const check = judge({ ...good, ...video({ width: 10, codec: 'vp9', framesDecoded: 1 }) }, box, treatment)
    for (const line of check.lines) expect(line.reason === null).toBe(line.verdict === 'pass')
  })
})

describe('a lossless result', () => {
  const archive = spec('archive-master')
  const kept = deriveTreatment(discFacts, archive)
  const same: PictureCheckMeasurement = {
    ...good,
    container: 'MKV',
    identical: true,
    xpsnr: null,
    video: {
      ...good.video,
      codec: 'ffv1',
      profile: 'Version 3',
      level: null,
      width: 720,
      height: 576,
      pixelAspect: rational(64, 45),
      interlaced: true,
      colour: { range: 'limited', primaries: 'bt470bg', transfer: 'smpte170m', matrix: 'bt470bg' },
    },
    audio: [
      { ...sound, codec: 'flac' },
      { ...sound, codec: 'flac' },
    ],
  }

  test('must be identical to its treated source', () => {
    const lines = judge(same, archive, kept).lines
    expect(lines.find(line => line.name === 'likeness')).toMatchObject({
      verdict: 'pass',
      found: 'every frame identical',
    })
    const changed = judge({ ...same, identical: false }, archive, kept)
    expect(changed.verdict).toBe('fail')
  })
})
