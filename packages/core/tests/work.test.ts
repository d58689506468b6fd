import { describe, expect, test } from 'vitest'
import {
  deriveTreatment,
  describeMaking,
  isNearlyDone,
  lanesOf,
  leadOf,
  likenessOfParts,
  newStep,
  pictureSpecs,
  progressOf,
  segmentsOf,
  unitsOfJob,
  unitsSoFar,
  whyWhole,
  type PictureSpec,
  type Step,
  type Unit,
} from '../src/index.ts'
import { facts } from './examples.ts'

/** How a job is parted, and what becomes of it from its parts. Figures are worked out on paper. */

const film = { ...facts({ frameCount: 10_000, frameCountFrom: 'packets' }), durationSeconds: 400 }
const specOf = (key: string) => pictureSpecs.find(entry => entry.key === key)!
const planned = (steps: Step[] = [], spec: PictureSpec = specOf('archive-master')) => ({
  spec,
  treatment: deriveTreatment(film, spec, steps),
})

describe('the segments of a job', () => {
  test('are of twenty seconds of work at least, and five minutes at most', () => {
    // One of 30 s; three of 26; four of 50; ten of a minute; sixteen of two; and of five minutes sixteen, or thirty-two.
    const counts = [30, 79, 200, 600, 16 * 120, 16 * 300, 32 * 300].map(
      seconds => segmentsOf(planned(), seconds).length,
    )
    expect(counts).toEqual([1, 3, 4, 10, 16, 16, 32])
  })

  test('hold every frame once', () => {
    const segments = segmentsOf(planned(), 1000)
    expect(segments[0]!.firstFrame).toBe(0)
    for (const [index, { firstFrame, frames }] of segments.entries())
      if (index + 1 < segments.length) expect(firstFrame + frames!).toBe(segments[index + 1]!.firstFrame)
    expect(segments.at(-1)!.frames).toBeNull()
  })

  test('begin where a keyframe would stand, and not within the windows that a check looks at closely', () => {
    const spec = specOf('playback-box')
    const { treatment } = planned([], spec)
    const distance = spec.video.keyframeSeconds! * 25
    // Four windows of nine frames of 10,000: they begin at 0, 3330, 6661 and 9991.
    const windows = [0, 3330, 6661, 9991]
    for (const { firstFrame } of segmentsOf({ spec, treatment }, 1000)) {
      expect(windows.some(first => firstFrame > first && firstFrame < first + 9)).toBe(false)
      expect(windows.includes(firstFrame) || firstFrame % distance === 0).toBe(true)
    }
  })
})

describe('the sound of a job in segments', () => {
  const kinds = (spec: PictureSpec, source = film, least = 20) =>
    unitsOfJob(planned([], spec), source, null, { least, most: 300 }).map(({ kind }) => kind)
  const spec = specOf('playback-box')

  test('is a unit of its own before them, as long as all frames', () => {
    expect(kinds(spec)[0]).toBe('sound')
    expect(kinds(spec).filter(kind => kind === 'sound')).toHaveLength(1)
    expect(unitsOfJob(planned([], spec), film, null)[0]).toMatchObject({ firstFrame: 0, frames: 10_000 })
  })

  test('is none where there is none, where it is copied, where it must end with a frame, and in one go', () => {
    expect(kinds(spec, { ...film, audio: [] })).not.toContain('sound')
    const copied = { ...spec, audio: { ...spec.audio!, copied: 'where it fits' as const } }
    const fitting = film.audio.map(track => ({
      ...track,
      codec: 'aac',
      sampleRate: spec.audio!.sampleRate,
      channels: 2,
    }))
    expect(kinds(copied, { ...film, audio: fitting })).not.toContain('sound')
    const broadcast = pictureSpecs.find(({ container }) => container === 'mxf')!
    expect(kinds(broadcast)).not.toContain('sound')
    expect(kinds(spec, film, 300)).toEqual([])
  })
})

describe('a job is made in one go', () => {
  const unknown = { forecast: null, wholeBecause: null, begun: 0 }

  test.each([
    [
      'average rate',
      { kind: 'average rate', bitsPerSecond: 4_000_000, peakBitsPerSecond: null, bufferBits: null },
      /rate/,
    ],
    ['size cap', { kind: 'size cap', bytes: 10_000_000 }, /size/],
    ['quality target', { kind: 'quality target', xpsnr: 40 }, /quality/],
  ] as const)('where its bits are spent over the whole: %s', (_name, rateControl, why) => {
    const spec = specOf('playback-box')
    const job = planned([], { ...spec, video: { ...spec.video, rateControl } })
    expect(whyWhole(job, film)).toMatch(why)
    expect(describeMaking(job, film, unknown)).toMatch(/^In one go, because /)
  })

  test('where its source cannot be begun in the middle, or a step cannot', () => {
    expect(whyWhole(planned(), film)).toBeNull()
    expect(whyWhole(planned(), { ...film, jumps: [{}] as never })).toMatch(/times jump/)
    expect(whyWhole(planned([newStep('grain')]), film)).toMatch(/grain/)
  })

  test('where it is short, or its segments did not fit', () => {
    expect(describeMaking(planned(), film, unknown)).toMatch(/^In about 6 segments/)
    const forecast = { seconds: { expected: 700, low: 600, high: 800 }, checkSeconds: 100 }
    expect(describeMaking(planned(), film, { ...unknown, forecast })).toMatch(/^In about 10 segments/)
    const short = { seconds: { expected: 30, low: 20, high: 40 }, checkSeconds: 5 }
    expect(describeMaking(planned(), film, { ...unknown, forecast: short })).toBe('In one go: it is short.')
    expect(describeMaking(planned(), film, { ...unknown, forecast: short, length: { least: 5, most: 300 } })).toMatch(
      /^In about 4 segments/,
    )
    expect(describeMaking(planned(), film, { ...unknown, forecast, begun: 7 })).toMatch(/^In 7 segments/)
    const wholeBecause = 'The parts differ.'
    expect(describeMaking(planned(), film, { ...unknown, wholeBecause })).toBe('In one go. The parts differ.')
  })
})

describe('what must be treated before a frame', () => {
  const lead = (...steps: Step[]) => leadOf(planned(steps).treatment, { num: 25, den: 1 })

  test('is little where steps look at one frame, and adds up where they look back', () => {
    expect(lead()).toEqual({ seconds: 2 / 25 })
    const flicker = { ...newStep('flicker'), frames: 9 } as Step
    expect(lead(flicker)).toEqual({ seconds: expect.closeTo((2 + 9) / 25, 9) })
    const denoise = { ...newStep('denoise'), method: 'fast', strength: 'strong' } as Step
    expect(lead(flicker, denoise)).toEqual({ seconds: expect.closeTo((2 + 9 + 48) / 25, 9) })
  })

  test('is as long as the path of a steadied picture is smoothed over', () => {
    const steady = { ...newStep('steady'), method: 'two readings', smooth: 'long' } as Step
    expect(lead(steady)).toEqual({ seconds: expect.closeTo(3 / 25 + 2, 9) })
  })

  test('is not to be had where frames are blended by their distance from the first', () => {
    const blend = { between: 'blend', cutThreshold: 10 } as const
    expect(lead({ kind: 'more-frames', times: 2, ...blend })).toHaveProperty('seconds')
    expect(lead({ kind: 'rate', to: { num: 50, den: 1 }, ...blend })).toHaveProperty('seconds')
    expect(lead({ kind: 'rate', to: { num: 30, den: 1 }, ...blend })).toHaveProperty('because')
  })
})

describe('what becomes of a job from its units', () => {
  const unit = (state: Unit['state'], framesDone = 0, reason: string | null = null): Unit => ({
    kind: 'segment',
    firstFrame: 0,
    frames: 10,
    state,
    framesDone,
    reason,
  })

  test('goes on, is joined, or fails', () => {
    expect(unitsSoFar([unit('done', 10), unit('working', 4), unit('idle'), unit('waiting')])).toEqual({
      done: 1,
      total: 4,
      framesDone: 14,
      awaitsSound: false,
      lanes: 1,
      outcome: 'go on',
      idle: 1,
      open: 2,
    })
    expect(unitsSoFar([unit('done', 10), unit('done', 10)]).outcome).toBe('join')
    expect(unitsSoFar([unit('done', 10), unit('idle', 0, 'It is damaged.')]).outcome).toBe('fail')
  })

  test('waits for its sound, which is no segment and no frames', () => {
    const sound = (state: Unit['state']): Unit => ({ ...unit(state, 20), kind: 'sound', frames: 20 })
    const segments = [unit('done', 10), unit('done', 10)]
    expect(unitsSoFar([...segments, sound('working')])).toMatchObject({
      ...{ done: 2, total: 2, framesDone: 20, awaitsSound: true, outcome: 'go on' },
    })
    expect(unitsSoFar([...segments, sound('done')])).toMatchObject({ awaitsSound: false, outcome: 'join' })
  })

  test('finishes a unit on hold that takes less than twenty seconds more', () => {
    // 100 of 300 frames in 9 s: 18 s more; in 11 s: 22 s more.
    expect(isNearlyDone(300, 100, 9)).toBe(true)
    expect(isNearlyDone(300, 100, 11)).toBe(false)
    expect(isNearlyDone(null, 100, 1)).toBe(false)
    expect(isNearlyDone(300, 0, 0)).toBe(false)
  })

  test('is told by how many are done, and joining follows', () => {
    const work = {
      done: 50,
      total: 100,
      rate: { num: 25, den: 1 },
      stageSeconds: 10,
      encodeSeconds: null,
      bytesWritten: 0,
      checkPerEncode: 0.2,
      aheadPerEncode: 0,
      segments: { done: 4, total: 8, awaitsSound: true, lanes: 2 },
    }
    const encode = progressOf({ ...work, stage: 'encode' })
    // 1 encode, 0.025 to join, 0.2 to check: 0.5 of 1.225 is done, the rest is 0.725 of twenty seconds.
    expect(encode.part).toBeCloseTo(0.5 / 1.225, 9)
    expect(encode.secondsLeft).toBeCloseTo(20 * 0.725, 9)
    expect(encode.segments).toEqual(work.segments)
    expect(lanesOf({ progress: encode })).toBe(2)
    expect(lanesOf({ progress: progressOf({ ...work, stage: 'join' }) })).toBe(1)
    expect(lanesOf({ progress: null })).toBe(1)
    expect(progressOf({ ...work, stage: 'join' }).part).toBeCloseTo(1.0125 / 1.225, 9)
  })
})

describe('likeness of a whole', () => {
  const part = (framesCompared: number, ssim: number, xpsnr: number | null, identical = false) => ({
    framesCompared,
    identical,
    ssim: { mean: ssim, worst: ssim - 0.1, worstFrame: framesCompared },
    xpsnr: xpsnr === null ? null : { mean: xpsnr, worst: xpsnr - 5, worstFrame: framesCompared },
  })

  test('is that of its parts, by their frames and by their errors', () => {
    // Errors of 10^-4 and 10^-3, three to one: 3.25 * 10^-4 on the mean, which is 34.881 dB.
    const { ssim, xpsnr, identical } = likenessOfParts([part(300, 0.98, 40), part(100, 0.9, 30)])
    expect(xpsnr!.mean).toBeCloseTo(34.881, 3)
    expect(xpsnr).toMatchObject({ worst: 25, worstFrame: 100 })
    expect(ssim!.mean).toBeCloseTo(0.96, 9)
    expect(ssim!.worst).toBeCloseTo(0.8, 9)
    expect(identical).toBe(false)
  })

  test('is identical where all are, and known where all are', () => {
    expect(likenessOfParts([part(5, 1, null, true), part(7, 1, null, true)])).toMatchObject({
      identical: true,
      xpsnr: null,
      ssim: { mean: 1 },
    })
    expect(likenessOfParts([part(5, 0.9, null), part(7, 1, null, true)])).toEqual({
      identical: false,
      ssim: null,
      xpsnr: null,
    })
    expect(likenessOfParts([{ framesCompared: 0, identical: false, ssim: null, xpsnr: null }])).toEqual({
      identical: false,
      ssim: null,
      xpsnr: null,
    })
  })
})
