import { describe, expect, test } from 'vitest'
import {
  arrangeSteps,
  assetsOf,
  chooseMoments,
  CannotTreat,
  contrastSlope,
  deliveredFacts,
  deriveTreatment,
  describeChoice,
  finding,
  forecastTrial,
  forecastTrialForLot,
  gradeMatrix,
  hasNoGain,
  newStep,
  PathSmoother,
  plainTimeline,
  plainWay,
  rational,
  resultSeconds,
  resultTimeAt,
  sourceTimeAt,
  Step,
  stepKinds,
  suggestSteps,
  wobbleOf,
  type MeasuredWindow,
  type PictureTreatment,
  type Plane,
  type StepKind,
  type TrialMoment,
  type Treatment,
} from '../src/index.ts'
import { discFacts, facts, spec } from './examples.ts'

const kinds = Object.keys(stepKinds) as StepKind[]
const treat = (steps: Step[], of = facts(), key = 'playback-box') => deriveTreatment(of, spec(key), steps)

describe('steps', () => {
  test('of every kind begin with settings that their schema takes, and have words', () => {
    for (const kind of kinds) {
      const step = newStep(kind)
      expect(Step.parse(step)).toEqual(step)
      expect(describeChoice(step)).toContain(stepKinds[kind].name)
    }
  })

  test('are put into their working order, and what moved says why', () => {
    const { steps, moved, refused } = arrangeSteps([
      newStep('grain'),
      newStep('learned'),
      newStep('denoise'),
      newStep('deinterlace'),
    ])
    expect(steps.map(step => step.kind)).toEqual(['deinterlace', 'denoise', 'learned', 'grain'])
    expect(refused).toEqual([])
    expect(moved[1]).toBe(
      'Denoise is done before grain and enlarge, learned: noise would be enlarged and sharpened with the picture.',
    )
    expect(arrangeSteps(steps).moved).toEqual([])
  })

  test('that cannot be together are refused with a sentence', () => {
    expect(arrangeSteps([newStep('denoise'), newStep('denoise')]).refused).toEqual([
      'Denoise is there twice. Remove one of the two.',
    ])
    expect(arrangeSteps([newStep('flip'), { kind: 'flip', way: 'top to bottom' }]).refused).toEqual([])
    expect(arrangeSteps([newStep('deinterlace'), newStep('undo-pulldown')]).refused[0]).toContain('exclude each other')
    expect(
      arrangeSteps([
        {
          kind: 'trim',
          ranges: [
            { from: 4, to: 8 },
            { from: 6, to: 9 },
          ],
        },
      ]).refused[0],
    ).toContain('without overlap')
    expect(() => treat([newStep('denoise'), newStep('denoise')])).toThrow(CannotTreat)
  })

  test('that restore come before enlarging, marks and high range after it, grain last', () => {
    const kindsOf = (...names: StepKind[]) => arrangeSteps(names.map(newStep)).steps.map(step => step.kind)
    expect(kindsOf('learned', 'unblur', 'dehalo', 'anti-alias', 'denoise', 'scratches', 'dust')).toEqual([
      'dust',
      'scratches',
      'denoise',
      'anti-alias',
      'dehalo',
      'unblur',
      'learned',
    ])
    expect(kindsOf('grain', 'high-range', 'picture-mark', 'lookup-table', 'grade')).toEqual([
      'grade',
      'lookup-table',
      'picture-mark',
      'high-range',
      'grain',
    ])
    expect(kindsOf('loudness', 'speech', 'sound-denoise', 'sound-hum')).toEqual([
      'sound-hum',
      'sound-denoise',
      'speech',
      'loudness',
    ])
  })

  test('that need a file are refused without one, and name it once', () => {
    expect(arrangeSteps([newStep('lookup-table'), newStep('picture-mark')]).refused).toEqual([
      'Lookup table has no table yet. Choose one, or add a .cube file.',
      'Picture mark has no picture yet. Choose one, or add a PNG file.',
    ])
    const asset = { sha256: 'c0'.repeat(32), name: 'Badge' }
    const marks = (['top left', 'top right'] as const).map((corner): Step => ({
      kind: 'picture-mark',
      asset,
      corner,
      size: 10,
      opacity: 80,
    }))
    expect(arrangeSteps(marks).refused).toEqual([])
    expect(assetsOf([...marks, newStep('lookup-table')])).toEqual([{ asset, kind: 'picture' }])
    expect(Step.safeParse({ ...marks[0], asset: { sha256: 'XY', name: 'Badge' } }).success).toBe(false)
  })

  test('of a treatment that was saved before steadying had two ways are quick ones', () => {
    expect(Step.parse({ kind: 'steady', edge: 24 })).toEqual(newStep('steady'))
  })
})

describe('what comes out', () => {
  test('frames: crop, enlarge, rotate, pad and aspect', () => {
    const sd = facts({
      width: 720,
      height: 576,
      pixelAspect: rational(16, 15),
      scan: { kind: 'progressive', firstField: null, framesRead: 9 },
    })
    // 704x564 after the crop, twice that after the network; the spec then fits it into 1080 lines: 1408 * 16/15 : 1128 = 1.3315.
    const { steps, result } = treat([{ kind: 'crop', left: 8, top: 6, right: 8, bottom: 6 }, newStep('learned')], sd)
    expect(
      steps.map(step => (step.kind === 'chosen' ? [step.step.kind, step.to.width, step.to.height] : step.kind)),
    ).toEqual([['crop', 704, 564], ['learned', 1408, 1128], 'size'])
    expect(result.frame).toEqual({ width: 1438, height: 1080, pixelAspect: { num: 1, den: 1 } })
    expect(treat([{ kind: 'rotate', degrees: 90 }], sd, 'small-mp4').result.frame).toEqual({
      width: 576,
      height: 720,
      pixelAspect: { num: 15, den: 16 },
    })
    expect(treat([{ kind: 'aspect', display: rational(16, 9) }], sd, 'small-mp4').result.frame.pixelAspect).toEqual({
      num: 64,
      den: 45,
    })
    expect(treat([{ kind: 'pad', to: { width: 1024, height: 576 } }], sd, 'small-mp4').result.frame.width).toBe(1024)
    expect(treat([newStep('steady')], sd, 'small-mp4').result.frame).toMatchObject({ width: 672, height: 528 })
  })

  test('rates and lengths: more frames, slow motion, ranges, pulldown', () => {
    const at = facts({ frameCount: 1500, frameRate: rational(25) })
    const long = { ...at, durationSeconds: 60 }
    expect(treat([{ ...newStep('more-frames'), times: 2 } as Step], long, 'small-mp4').result).toMatchObject({
      rate: { num: 50, den: 1 },
      frameCount: 3000,
    })
    expect(treat([{ ...newStep('speed'), factor: 0.5 } as Step], long).result).toMatchObject({
      rate: { num: 25, den: 1 },
      frameCount: 3000,
    })
    expect(
      treat(
        [
          {
            kind: 'trim',
            ranges: [
              { from: 10, to: 14 },
              { from: 20, to: 21 },
            ],
          },
        ],
        long,
      ).result.frameCount,
    ).toBe(125)
    const film = facts({
      frameRate: rational(30000, 1001),
      frameCount: 1200,
      scan: { kind: 'interlaced', firstField: 'top', framesRead: 9 },
    })
    expect(treat([newStep('undo-pulldown')], { ...film, durationSeconds: 40.04 }, 'small-mp4').result).toMatchObject({
      rate: { num: 24000, den: 1001 },
      scan: 'progressive',
      frameCount: 960,
    })
  })

  test('interlaced material is made whole before any step that would mix its fields', () => {
    const { steps } = treat([newStep('denoise'), { kind: 'crop', left: 8, top: 0, right: 8, bottom: 0 }], discFacts)
    expect(steps.map(step => (step.kind === 'chosen' ? step.step.kind : step.kind)).slice(0, 3)).toEqual([
      'deinterlace',
      'crop',
      'denoise',
    ])
    // A spec that keeps fields takes what does not touch them, and refuses the rest with a way out.
    expect(
      treat([{ kind: 'crop', left: 8, top: 2, right: 8, bottom: 2 }], discFacts, 'editing-master').result.scan,
    ).toBe('top field first')
    expect(() => treat([newStep('denoise')], discFacts, 'editing-master')).toThrow(
      'Denoise would mix the fields of this interlaced picture, and Editing master MOV keeps it interlaced. Add a deinterlace step, or leave this one out.',
    )
  })

  test('high dynamic range is BT.2100 in ten bits, and only from a standard one', () => {
    const { result, steps } = treat([newStep('high-range')], facts(), 'small-mp4')
    expect(result).toMatchObject({
      pixelFormat: 'yuv420p10le',
      colour: { range: 'limited', primaries: 'bt2020', transfer: 'smpte2084', matrix: 'bt2020nc' },
    })
    // The step itself tells of the change of colour; it is not told twice.
    expect(steps.map(step => step.kind)).not.toContain('colour')
    expect(() => treat([newStep('high-range')])).toThrow(
      'needs a spec of 10 bits or more, or its shades show as bands; Playback box MP4 has 8.',
    )
    const high = facts({
      colour: { range: 'limited', primaries: 'bt2020', transfer: 'arib-std-b67', matrix: 'bt2020nc' },
    })
    expect(() => treat([newStep('high-range')], high, 'small-mp4')).toThrow('this source has a high one already')
  })

  test('sizes that cannot be are refused', () => {
    expect(() => treat([{ kind: 'crop', left: 960, top: 0, right: 960, bottom: 0 }])).toThrow(
      'Crop leaves 0x1080 of 1920x1080. Take off less.',
    )
    expect(() => treat([{ kind: 'crop', left: 3, top: 0, right: 0, bottom: 0 }])).toThrow('even numbers of pixels')
    expect(() => treat([{ ...newStep('learned'), times: 4 } as Step], facts({ width: 3840, height: 2160 }))).toThrow(
      '15360x8640, more than 7680x4320',
    )
    expect(() => treat([{ kind: 'trim', ranges: [{ from: 200, to: 210 }] }])).toThrow(
      "begins after the source's end (120.00 s)",
    )
    expect(() => treat([{ kind: 'pad', to: { width: 720, height: 576 } }])).toThrow(
      'smaller than the picture, 1920x1080',
    )
  })

  test('a lossless spec keeps red, green and blue where a step leaves them', () => {
    expect(treat([newStep('grade')], facts(), 'archive-master').result).toMatchObject({
      pixelFormat: 'bgr0',
      colour: { matrix: 'gbr', range: 'full' },
    })
    expect(treat([newStep('denoise')], facts(), 'archive-master').result.pixelFormat).toBe('yuv420p')
  })

  test('tracks that are dropped are not delivered', () => {
    const treatment = treat([{ kind: 'keep-tracks', tracks: [1] }], discFacts)
    expect(deliveredFacts(discFacts, treatment).audio.map(track => track.streamIndex)).toEqual([2])
    expect(deliveredFacts(discFacts, treat([], discFacts)).audio).toHaveLength(2)
  })
})

describe('timelines', () => {
  const timeline = {
    ranges: [
      { from: 10, to: 14 },
      { from: 20, to: 21 },
    ],
    speed: 0.5,
  }
  test('lead from the result to the source and back', () => {
    expect(resultSeconds(timeline, 60)).toBe(10)
    expect([0, 4, 8, 9, 12].map(seconds => sourceTimeAt(timeline, seconds))).toEqual([10, 12, 20, 20.5, 21])
    expect([10, 12, 20.5].map(seconds => resultTimeAt(timeline, seconds))).toEqual([0, 4, 9])
    expect(resultTimeAt(timeline, 15)).toBeNull()
    expect(sourceTimeAt(plainTimeline, 7)).toBe(7)
  })
})

describe('grades', () => {
  test('leave a grey its luma under warmth and tint, and scale by stops of light', () => {
    const luma = [0.2126, 0.7152, 0.0722]
    const greyOf = (matrix: readonly (readonly number[])[]) =>
      matrix.map(row => row.reduce((sum, value) => sum + value, 0))
    for (const changes of [
      { warmth: 80, tint: 0 },
      { warmth: -50, tint: 60 },
    ]) {
      const grey = greyOf(gradeMatrix({ exposure: 0, saturation: 0, ...changes }))
      expect(grey.reduce((sum, value, index) => sum + value * luma[index]!, 0)).toBeCloseTo(1, 6)
    }
    expect(gradeMatrix({ exposure: 2.4, saturation: 0, warmth: 0, tint: 0 })).toEqual(
      [
        [2, 0, 0],
        [0, 2, 0],
        [0, 0, 2],
      ].map(row => row.map(value => expect.closeTo(value, 6))),
    )
    // Without saturation every row is luma.
    for (const row of gradeMatrix({ exposure: 0, saturation: -100, warmth: 0, tint: 0 }))
      expect(row).toEqual(luma.map(value => expect.closeTo(value, 6)))
    expect(contrastSlope(-100)).toBe(0)
  })
})

describe('what findings suggest', () => {
  test('follows their numbers and order, with their sentences', () => {
    const found = [
      finding('noise', 'fault', 'Clear noise: 4.1 codes.', { value: 4.1, sure: 0.9, data: { weight: 'clear' } }),
      finding('scan', 'nature', 'Interlaced, bottom field first.', {
        sure: 0.95,
        suggests: 'Deinterlace',
        data: { scan: 'interlaced', firstField: 'bottom' },
      }),
      finding('borders', 'fault', 'Black borders.', {
        sure: 0.97,
        data: { crop: { left: 8, top: 2, right: 8, bottom: 2 } },
      }),
      finding('hum', 'fault', 'The sound hums.', { sure: 0.9, data: { hertz: 60 } }),
      finding('shake', 'fault', 'Shaken.', { sure: 0.3 }),
    ]
    const suggested = suggestSteps(discFacts, found)
    expect(suggested.map(({ step }) => step)).toEqual([
      { kind: 'deinterlace', to: 'frame rate', firstField: 'bottom' },
      { kind: 'crop', left: 8, top: 2, right: 8, bottom: 2 },
      { kind: 'denoise', method: 'fast', strength: 'medium' },
      { kind: 'learned', network: 'compressed', size: 'fast', times: 2, strength: 100 },
      { kind: 'sound-hum', hertz: 60 },
    ])
    expect(suggested[2]!.because).toBe('Clear noise: 4.1 codes.')
    expect(suggestSteps(facts(), [])).toEqual([])
  })
})

describe('moments', () => {
  const window = (
    seconds: number,
    changes: Partial<Record<'mean' | 'change' | 'histogramChange', number>> = {},
    noise = 0.5,
  ): MeasuredWindow => {
    const column = (value: number) => Array.from({ length: 25 }, () => value)
    return {
      seconds: Array.from({ length: 25 }, (_, index) => seconds + index / 25),
      mean: column(changes.mean ?? 100),
      low: column(20),
      high: column(200),
      illegal: column(0),
      atTop: column(0),
      saturation: column(20),
      change: column(changes.change ?? 2),
      histogramChange: column(0).map((value, index) => (index === 5 ? (changes.histogramChange ?? value) : value)),
      shiftX: column(0),
      shiftY: column(0),
      shiftFit: column(1),
      scan: 'p'.repeat(25),
      errors: 0,
      borders: null,
      still: {
        seconds: seconds + 0.5,
        noise,
        gridX: 1,
        gridY: 1,
        gridStepX: 0,
        gridStepY: 0,
        gridColumn: 0,
        gridRow: 0,
        detailX: null,
        detailY: null,
        flat: 0,
      },
    }
  }
  test('are the extremes of what was measured, and the usual', () => {
    const picture = {
      width: 720,
      height: 576,
      framesPerSecond: 25,
      whole: false,
      marks: [],
      times: { packetsRead: 0, regular: 0, short: 0, long: 0, longAt: [], endSeconds: null },
      windows: [
        window(0),
        window(20, { change: 9 }),
        window(40, { mean: 30 }),
        window(60, { histogramChange: 0.8 }),
        window(80, {}, 7),
        window(100),
      ],
    }
    const moments = chooseMoments(picture, 120)
    const at = (reason: string) => moments.find(moment => moment.reason === reason)?.from
    expect(at('most motion')).toBeCloseTo(19.48, 2)
    expect(at('darkest')).toBeCloseTo(39.48, 2)
    // The cut lies in the sixth frame of its window; the moment reaches a second to both sides.
    expect(at('a cut')).toBeCloseTo(59.2, 2)
    expect(at('most noise')).toBeCloseTo(79.48, 2)
    expect(at('typical')).toBeDefined()
    expect(moments.every(({ from, to }) => to - from > 1.99 && to - from < 2.01)).toBe(true)
    expect(moments.map(moment => moment.from)).toEqual(moments.map(moment => moment.from).sort((a, b) => a - b))
  })
  test('of a short or unmeasured source are as many as it holds', () => {
    expect(chooseMoments(null, 60).map(moment => moment.from)).toEqual([11, 29, 47])
    expect(chooseMoments(null, 1.5)).toEqual([{ reason: 'typical', from: 0, to: 1.5 }])
  })
})

describe('trials', () => {
  const result = (seconds: number, bytes: number): TrialMoment => ({
    frames: 50,
    seconds: seconds * 0.75,
    checkSeconds: seconds * 0.25,
    untilFirstFrame: 0.3,
    steps: [],
    bytes,
    ssim: 0.99,
    xpsnr: 40,
    before: { noise: 1, detail: 100, blocking: 1, wobble: null },
    after: { noise: 1, detail: 100, blocking: 1, wobble: null },
    devices: {},
  })
  const treatment = { ...treat([]), result: { ...treat([]).result, frameCount: 3000, rate: rational(25) } } as Treatment
  const moment = (reason: 'typical' | 'darkest' | 'most motion') => ({ reason, from: 0, to: 2 })

  test('say that a dear step gives nothing when no moment shows more than the plain way', () => {
    const withGain = (difference: number, detail: number | null, blocking: number | null): TrialMoment => ({
      ...result(1, 1),
      gain: { over: 'Lanczos', difference, detail, blocking },
    })
    expect(hasNoGain([result(1, 1), null])).toBeNull()
    // Nearly the same picture; another picture, but neither finer nor freer of blocks; finer; freer of blocks in one moment of two.
    expect(hasNoGain([withGain(0.4, 1.3, 0.5)])).toBe(true)
    expect(hasNoGain([withGain(3, 1.01, 0.99)])).toBe(true)
    expect(hasNoGain([withGain(3, 1.2, 1)])).toBe(false)
    expect(hasNoGain([withGain(0.4, 1, 1), withGain(3, null, 0.6)])).toBe(false)
  })

  test('put the plain way in place of what is dear, and leave the rest', () => {
    const dear = deriveTreatment(facts({ width: 640, height: 360 }), spec('playback-box'), [
      newStep('denoise'),
      newStep('clean-up'),
      newStep('learned'),
    ])
    const { treatment: plain, over } = plainWay(dear as PictureTreatment)!
    expect(over).toBe('no clean-up, Lanczos')
    expect(
      plain.steps.filter(step => step.kind === 'chosen').map(step => step.kind === 'chosen' && step.step.kind),
    ).toEqual(['denoise'])
    expect(plain.steps).toContainEqual(
      expect.objectContaining({
        kind: 'size',
        kernel: 'lanczos',
        from: expect.objectContaining({ width: 640, height: 360 }),
        to: expect.objectContaining({ width: 1280, height: 720 }),
      }),
    )
    expect(
      plainWay(deriveTreatment(facts(), spec('playback-box'), [newStep('denoise')]) as PictureTreatment),
    ).toBeNull()
  })

  test('forecast by the typical moment, with a range over all: treating, encoding and checking', () => {
    const forecast = forecastTrial({
      treatment,
      moments: [moment('typical'), moment('darkest'), moment('most motion')],
      results: [result(10, 500_000), result(8, 300_000), result(15, 900_000)],
    })!
    expect(forecast.secondsPerFrame).toEqual({
      expected: 0.2,
      low: expect.closeTo(0.16 * 0.85, 6),
      high: expect.closeTo(0.3 * 1.15, 6),
    })
    expect(forecast.seconds.expected).toBeCloseTo(600, 6)
    expect(forecast.withCheck).toBe(true)
    // 500 kB for two seconds, 120 s long.
    expect(forecast.bytes.expected).toBeCloseTo(30_000_000, 0)
    expect(forecastTrialForLot(forecast, 120, 480).seconds.expected).toBeCloseTo(2400, 6)
  })
  test('of before the check was measured say that it is not in', () => {
    const { checkSeconds, ...older } = result(10, 500_000)
    const forecast = forecastTrial({
      treatment,
      moments: [moment('typical'), moment('darkest')],
      results: [result(10, 500_000), older],
    })!
    expect(forecast.withCheck).toBe(false)
    expect(forecast.secondsPerFrame!.expected).toBe(0.2)
    expect(forecast.secondsPerFrame!.low).toBeCloseTo((0.2 - checkSeconds! / 50) * 0.85, 9)
  })
  test('say nothing before a moment is done', () => {
    expect(forecastTrial({ treatment, moments: [moment('typical')], results: [null] })).toBeNull()
  })
})

describe('signals', () => {
  const plane = (width: number, height: number, value: (x: number, y: number) => number): Plane => ({
    data: Uint8Array.from({ length: width * height }, (_, at) => value(at % width, Math.floor(at / width))),
    width,
    height,
    stride: width,
  })

  test('wobble is what a result changes where its source stands still, whatever their sizes', () => {
    const still = plane(160, 120, (x, y) => (x + y) % 200)
    const swims = (shift: number) => plane(320, 240, (x, y) => 100 + ((x + y + shift) % 2) * 4)
    expect(wobbleOf([still, still], [swims(0), swims(1)])).toEqual({ before: 0, after: 4 })
    expect(wobbleOf([still, still], [swims(0), swims(0)])).toEqual({ before: 0, after: 0 })
    const moving = plane(160, 120, (x, y) => (x + y + 40) % 200)
    expect(wobbleOf([still, moving], [swims(0), swims(1)])).toBeNull()
  })

  test('a steady path keeps a pan and takes a shake out', () => {
    const offs = (shifts: number[]) => {
      const path = new PathSmoother(20)
      const found: number[] = []
      for (const x of shifts) {
        path.add({ x, y: 0, fit: 1 })
        const off = path.take(false)
        if (off) found.push(off.x)
      }
      for (let off = path.take(true); off; off = path.take(true)) found.push(off.x)
      return found
    }
    expect(offs(Array.from({ length: 60 }, () => 3)).every(off => Math.abs(off) < 1e-9)).toBe(true)
    // To and fro by six pixels: every frame is three off its line, one way or the other.
    const shaken = offs(Array.from({ length: 60 }, (_, index) => (index % 2 === 0 ? 6 : -6)))
    expect(shaken).toHaveLength(60)
    expect(shaken.slice(14, 44).every(off => Math.abs(Math.abs(off) - 3) < 0.3)).toBe(true)
    expect(Math.max(...offs(Array.from({ length: 30 }, (_, index) => (index === 10 ? 500 : 0))).map(Math.abs))).toBe(20)
  })

  test('a cut is no motion', () => {
    const path = new PathSmoother(20)
    for (let index = 0; index < 30; index++) path.add({ x: index === 12 ? 30 : 0, y: 0, fit: index === 12 ? 0.05 : 1 })
    for (let off = path.take(true); off; off = path.take(true))
      expect(off).toEqual({ x: expect.closeTo(0, 9), y: expect.closeTo(0, 9) })
  })
})
