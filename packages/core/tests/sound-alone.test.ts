import { describe, expect, test } from 'vitest'
import {
  deliveredFacts,
  deriveTreatment,
  describeSpec,
  describeSpecLines,
  describeTreatment,
  describeTreatmentResult,
  forecastJob,
  forecastTrial,
  hasPicture,
  judge,
  newStep,
  planOf,
  progressOf,
  treatedSeconds,
  Treatment,
  type SampleMeasurement,
  type SoundCheckMeasurement,
  type Step,
  type TrialMoment,
} from '../src/index.ts'
import { discFacts, facts, soundSpec, spec } from './examples.ts'

const wav = soundSpec('sound-wav')
const archive = soundSpec('sound-archive-mka')
const keep = (...tracks: number[]): Step => ({ kind: 'keep-tracks', tracks })
const treat = (steps: Step[], of = discFacts, which = wav) => deriveTreatment(of, which, steps)

describe('a treatment of sound alone', () => {
  test('takes the first track where the container holds one, and says what it leaves out', () => {
    const treatment = treat([])
    expect(treatment).toMatchObject({
      result: null,
      tracks: [0],
      seconds: 14,
      leftOut: ['WAV holds one track: track 1 of 2 is taken. Keep tracks chooses another.'],
    })
    expect(Treatment.parse(treatment)).toEqual(treatment)
    expect(describeTreatmentResult(treatment)).toBe('sound alone, track 1')
  })

  test('takes the track that is kept, and every one where there is room', () => {
    expect(treat([keep(1)])).toMatchObject({ tracks: [1], leftOut: [] })
    expect(treat([], discFacts, archive)).toMatchObject({ tracks: [0, 1], leftOut: [] })
    expect(deliveredFacts(discFacts, treat([keep(1)])).audio.map(track => track.streamIndex)).toEqual([2])
    expect(() => treat([keep()])).toThrow(
      "Sound WAV needs a sound track, and Keep tracks keeps none of this source's. Keep one.",
    )
  })

  test('is as long as the steps that move time make it', () => {
    const trim: Step = {
      kind: 'trim',
      ranges: [
        { from: 1, to: 3 },
        { from: 10, to: 14 },
      ],
    }
    const slow = { ...newStep('speed'), factor: 0.5 } as Step
    // 6 s are kept, at half the speed, and begin a quarter of a second later.
    expect(treat([trim, slow, { kind: 'sound-delay', milliseconds: 250 }]).seconds).toBe(12.25)
    expect(() => treat([{ kind: 'trim', ranges: [{ from: 20, to: 30 }] }])).toThrow(
      "Trim keeps a range that begins after the source's end (14.00 s).",
    )
  })

  test('leaves steps of the picture out and names them', () => {
    expect(treat([newStep('denoise'), newStep('crop'), newStep('loudness')], facts()).leftOut).toEqual([
      'The spec has no picture, so these steps do nothing: Crop, Denoise.',
    ])
  })

  test('needs no picture, and says where more bits come in than go out', () => {
    const floats = { ...facts(), video: null, audio: [{ ...facts().audio[0]!, codec: 'pcm_f32le' }] }
    expect(treat([], floats).leftOut).toEqual(['PCM 24 bit keeps 24 bits here; this source has more in each sample.'])
    expect(treat([], floats, soundSpec('sound-m4a')).leftOut).toEqual([])
  })
})

test('what is done is told in working order, for sound alone as well', () => {
  const steps: Step[] = [
    { kind: 'trim', ranges: [{ from: 1, to: 3 }] },
    { ...newStep('speed'), factor: 0.5 } as Step,
    { kind: 'sound-hum', hertz: 50 },
  ]
  expect(describeTreatment(treat(steps, discFacts, archive)).map(line => line.what)).toEqual([
    'Trim, keep 1-3 s',
    'Speed, 50 %, at its own pitch',
    'Take out hum, 50 Hz and its multiples',
  ])
  const whats = describeTreatment(deriveTreatment(discFacts, spec('playback-box'), [newStep('loudness')])).map(
    line => line.what,
  )
  expect(whats[0]).toMatch(/^Deinterlace/)
  expect(whats.at(-1)).toMatch(/^Loudness/)
})

test('a spec of sound alone is told in a line, and line by line', () => {
  expect([soundSpec('sound-flac'), soundSpec('sound-m4a')].map(describeSpec)).toEqual([
    'FLAC, no picture',
    'AAC, M4A, no picture',
  ])
  expect(describeSpecLines(soundSpec('sound-flac'))).toEqual([
    ['container', 'FLAC'],
    ['picture', 'none'],
    ['sound', 'FLAC, rate as the source, at most 8 channels'],
    ['tracks', 'the first that is kept'],
    ['says of itself', "the source's title, its date, all else that it says, its cover"],
    ['file name', 'source name-sound.flac'],
  ])
})

describe('a forecast of sound alone', () => {
  const measured = (over: Partial<SampleMeasurement> = {}): SampleMeasurement => ({
    windows: [],
    soundBytesPerSecond: 0,
    soundPacketsPerSecond: 0,
    soundSecondsPerSecond: 0,
    startSeconds: 2,
    machine: 'two cores',
    tookSeconds: 3,
    // 4 s each: 0.08 s of work and 400 kB, then half as much again.
    soundWindows: [
      { startSeconds: 0, seconds: 4, encodeSeconds: 0.06, checkSeconds: 0.02, bytes: 400_000, packets: 40 },
      { startSeconds: 50, seconds: 4, encodeSeconds: 0.09, checkSeconds: 0.03, bytes: 600_000, packets: 40 },
    ],
    ...over,
  })
  const extent = {
    frames: 0,
    pixels: 0,
    durationSeconds: 120,
    keyframeDistance: 1,
    container: 'mka',
    sizeIs: 'by quality',
  } as const

  test("is time and bytes of each second of material, and the container's share of each packet", () => {
    const { seconds, bytes, checkSeconds, measuredFrom } = forecastJob(measured(), extent)
    expect(seconds.expected).toBeCloseTo(2 + (0.2 / 8) * 120, 9)
    expect(checkSeconds).toBeCloseTo(0.75, 9)
    expect(bytes.expected).toBeCloseTo(((1_000_000 + 80 * 8) / 8) * 120, 6)
    expect(bytes.low).toBeLessThan(12_000_000)
    expect(bytes.high).toBeGreaterThan(18_000_000)
    expect(measuredFrom).toBe('8 of 120 s of sound in 2 stretches, encoded and checked on two cores in 3 s')
  })

  test('counts what a file has besides its packets once', () => {
    expect(
      forecastJob(measured({ headBytes: 8000 }), extent).bytes.expected -
        forecastJob(measured(), extent).bytes.expected,
    ).toBeCloseTo(8000, 6)
  })

  test('of a trial is per second of sound, with no time for frames', () => {
    const result: TrialMoment = {
      frames: 0,
      soundSeconds: 2,
      signalToNoise: 20,
      seconds: 0.08,
      checkSeconds: 0.02,
      untilFirstFrame: 0,
      steps: [],
      bytes: 40_000,
      ssim: null,
      xpsnr: null,
      before: null,
      after: null,
      devices: {},
    }
    const forecast = forecastTrial({
      treatment: treat([]),
      moments: [{ reason: 'typical', from: 0, to: 2 }],
      results: [result],
    })!
    expect(forecast.secondsPerFrame).toBeNull()
    expect(forecast.seconds.expected).toBeCloseTo(0.7, 9)
    expect(forecast.bytes.expected).toBeCloseTo(280_000, 6)
  })

  test('progress is in seconds of sound', () => {
    const progress = progressOf({
      stage: 'encode',
      done: 30_000,
      total: 120_000,
      rate: null,
      stageSeconds: 2,
      encodeSeconds: null,
      bytesWritten: 1,
      checkPerEncode: 0.5,
      aheadPerEncode: 0,
    })
    expect(progress).toMatchObject({
      framesDone: 0,
      framesTotal: 0,
      framesPerSecond: 0,
      timesRealTime: 15,
      sound: { secondsDone: 30, secondsTotal: 120 },
    })
    expect(progress.secondsLeft).toBeCloseTo(10, 9)
  })
})

describe('the check of sound alone', () => {
  const track = { codec: 'pcm_s24le', channels: 2, sampleRate: 48_000, durationSeconds: 14, decodeErrors: 0 }
  const same = { treatedSeconds: 14, sampleRate: 48_000, channels: 2, identical: true, signalToNoise: null }
  const good: SoundCheckMeasurement = {
    container: 'WAV',
    bytes: 4_000_000,
    sourceBytes: 8_000_000,
    sha256: '0'.repeat(64),
    video: null,
    sourceDecodeErrors: 0,
    audio: [track],
    likeness: [same],
  }
  const verdictOf = (changes: Partial<SoundCheckMeasurement>, which = wav) => {
    const { verdict, lines } = judge({ ...good, ...changes }, which, treat([], discFacts, which))
    return { verdict, reasons: lines.filter(line => line.verdict !== 'pass').map(line => line.name) }
  }

  test('passes what is as it should be', () => {
    expect(verdictOf({})).toEqual({ verdict: 'pass', reasons: [] })
  })

  test.each([
    [
      'a single sample that differs',
      { likeness: [{ ...same, identical: false, signalToNoise: 90 }] },
      'sound likeness',
    ],
    ['a lost end', { audio: [{ ...track, durationSeconds: 13.9 }] }, 'sound length'],
    ['another codec', { audio: [{ ...track, codec: 'pcm_s16le' }] }, 'sound codec'],
    ['another rate', { audio: [{ ...track, sampleRate: 44_100 }] }, 'sound rate'],
    ['a channel less', { audio: [{ ...track, channels: 1 }] }, 'sound rate'],
    ['errors', { audio: [{ ...track, decodeErrors: 1 }] }, 'sound decodes'],
    ['no track', { audio: [], likeness: [] }, 'sound tracks'],
    ['another container', { container: 'FLAC' }, 'container'],
  ] as [string, Partial<SoundCheckMeasurement>, string][])('fails %s', (_, changes, name) => {
    expect(verdictOf(changes)).toEqual({ verdict: 'fail', reasons: [name] })
  })

  test('asks for an ear where the source is short or damaged, or the codec went far', () => {
    expect(
      verdictOf({ audio: [{ ...track, durationSeconds: 9 }], likeness: [{ ...same, treatedSeconds: 9 }] }),
    ).toEqual({ verdict: 'look', reasons: ['source length'] })
    expect(verdictOf({ sourceDecodeErrors: 2 })).toEqual({ verdict: 'look', reasons: ['source decodes'] })
    const coded = { container: 'M4A', audio: [{ ...track, codec: 'aac', durationSeconds: 14.02 }] }
    expect(
      verdictOf({ ...coded, likeness: [{ ...same, identical: false, signalToNoise: 18 }] }, soundSpec('sound-m4a'))
        .verdict,
    ).toBe('pass')
    expect(
      verdictOf({ ...coded, likeness: [{ ...same, identical: false, signalToNoise: 3 }] }, soundSpec('sound-m4a')),
    ).toEqual({ verdict: 'look', reasons: ['sound likeness'] })
  })

  test("holds a spec that keeps the source's rate to that rate", () => {
    const flac = { container: 'FLAC', likeness: [{ ...same, sampleRate: 44_100 }] }
    const at = (sampleRate: number) =>
      verdictOf({ ...flac, audio: [{ ...track, codec: 'flac', sampleRate }] }, soundSpec('sound-flac'))
    expect(at(44_100).verdict).toBe('pass')
    expect(at(48_000)).toEqual({ verdict: 'fail', reasons: ['sound rate'] })
  })

  test("does not judge one kind of result by the other's spec", () => {
    expect(() => judge(good, spec('playback-box'), treat([]))).toThrow(TypeError)
  })
})

test('a kept spec and treatment go together, or it is said that they do not', () => {
  const withPicture = deriveTreatment(discFacts, spec('playback-box'))
  expect(hasPicture(planOf({ spec: spec('playback-box'), treatment: withPicture }))).toBe(true)
  expect(hasPicture(planOf({ spec: wav, treatment: treat([]) }))).toBe(false)
  expect(() => planOf({ spec: wav, treatment: withPicture })).toThrow('The treatment was not worked out for Sound WAV')
})

test('length of a treatment is that of its picture, or of its sound', () => {
  expect(treatedSeconds(deriveTreatment(discFacts, spec('playback-box')))).toBe(14)
  expect(treatedSeconds(treat([]))).toBe(14)
})
