import { describe, expect, test } from 'vitest'
import {
  CannotTreat,
  deriveTreatment,
  describeSpecLines,
  fitExactly,
  mistakesIn,
  rational,
  specProblems,
  withContainer,
  type FrameRule,
  type PictureSpec,
  type StoredFrame,
} from '../src/index.ts'
import { discFacts, facts, spec } from './examples.ts'

/** Frames of exact size: television's and discs' shapes, worked out by hand. */
const square = (width: number, height: number): StoredFrame => ({ width, height, pixelAspect: rational(1) })
const rule = (width: number, height: number, rest: Partial<FrameRule> = {}): FrameRule => ({
  maxWidth: width,
  maxHeight: height,
  enlarge: true,
  squarePixels: rest.shownAs === undefined,
  exactly: 'padded',
  ...rest,
})
const hd = (rest: Partial<FrameRule> = {}) => rule(1920, 1080, rest)
const sizes = (source: StoredFrame, wanted: FrameRule, how = {}) => {
  const fitted = fitExactly(source, wanted, how)
  return fitted && [`${fitted.picture.width}x${fitted.picture.height}`, `${fitted.frame.width}x${fitted.frame.height}`]
}

describe('a picture in a frame of exact size', () => {
  test('has bars beside it when it is narrower, above and below when it is wider', () => {
    // 4:3 in 1080 lines is 1440 wide; 2.35:1 in 1920 columns is 817 high, in whole pairs 818.
    expect(sizes(square(640, 480), hd())).toEqual(['1440x1080', '1920x1080'])
    expect(sizes(square(1920, 817), hd())).toEqual(['1920x818', '1920x1080'])
  })

  test('stays small where the spec does not enlarge, and loses no lines for the shape of its pixels', () => {
    expect(sizes(square(640, 480), hd({ enlarge: false }))).toEqual(['640x480', '1920x1080'])
    // 720x576 shown as 16:9 is 1024 wide.
    const disc = { width: 720, height: 576, pixelAspect: rational(64, 45) }
    expect(sizes(disc, hd({ enlarge: false }))).toEqual(['1024x576', '1920x1080'])
  })

  test('fills it when it is cropped: 4:3 across 1920 columns is 1440 high', () => {
    expect(sizes(square(640, 480), hd({ exactly: 'cropped' }))).toEqual(['1920x1440', '1920x1080'])
    expect(sizes(square(2048, 858), hd({ exactly: 'cropped' }))).toEqual(['2578x1080', '1920x1080'])
  })

  test('of nearly the same shape fills it without a bar of a line or two', () => {
    expect(sizes(square(1916, 1080), hd())).toEqual(['1920x1080', '1920x1080'])
    expect(sizes(square(1916, 1080), hd({ exactly: 'cropped' }))).toEqual(['1920x1080', '1920x1080'])
  })

  test('of discs is shown as 4:3 or 16:9, whichever is nearer', () => {
    const disc = rule(720, 576, { shownAs: 'nearer' })
    // ITU-T H.262: the stated shape is that of the whole frame, so pixels are 16:15 and 64:45.
    expect(fitExactly(square(640, 480), disc)).toEqual({
      picture: { width: 720, height: 576, pixelAspect: { num: 16, den: 15 } },
      frame: { width: 720, height: 576, pixelAspect: { num: 16, den: 15 } },
    })
    expect(fitExactly(square(1280, 720), disc)!.frame.pixelAspect).toEqual({ num: 64, den: 45 })
    // 2.35:1 in a frame of 16:9: 576 * 1.7778 / 2.35 = 435.7 lines.
    expect(sizes(square(1880, 800), disc)).toEqual(['720x436', '720x576'])
  })

  test('keeps its lines where they are fields: across alone it may change', () => {
    const how = { keepsLines: true }
    const old = { width: 720, height: 486, pixelAspect: rational(8, 9) }
    expect(sizes(old, rule(720, 480, { shownAs: '4:3', exactly: 'cropped' }), how)).toEqual(['720x486', '720x480'])
    expect(sizes(old, rule(720, 480, { shownAs: '4:3' }), how)).toBeNull()
    const half = { width: 352, height: 576, pixelAspect: rational(24, 11) }
    expect(sizes(half, rule(720, 576, { shownAs: '4:3' }), how)).toEqual(['720x576', '720x576'])
  })
})

const box = spec('playback-box')
const exact = (frame: Partial<FrameRule>, video: Partial<PictureSpec['video']> = {}): PictureSpec => ({
  ...box,
  video: { ...box.video, level: null, ...video, frame: { ...box.video.frame, ...frame } },
})

describe('a treatment', () => {
  const film = facts({ width: 1440, height: 1080 })

  test('pads last, and says why', () => {
    const { steps, result } = deriveTreatment(film, exact({ exactly: 'padded' }))
    expect(steps.at(-1)).toMatchObject({
      kind: 'chosen',
      step: { kind: 'pad', to: { width: 1920, height: 1080 } },
      from: { width: 1440, height: 1080 },
      why: "Playback box MP4 has 1920x1080 whatever the picture's shape: the rest is black.",
    })
    expect(result.frame).toEqual({ width: 1920, height: 1080, pixelAspect: { num: 1, den: 1 } })
  })

  test('cuts off as much on either side, in pairs of pixels', () => {
    const { steps } = deriveTreatment(film, exact({ exactly: 'cropped' }))
    expect(steps.slice(-2)).toMatchObject([
      { kind: 'size', to: { width: 1920, height: 1440 } },
      { kind: 'chosen', step: { kind: 'crop', left: 0, right: 0, top: 180, bottom: 180 } },
    ])
  })

  test('brings sides to multiples by cutting off, without distorting: of 1080 lines 1072 are left', () => {
    const { steps, result } = deriveTreatment(film, exact({ multiple: 16, enlarge: false }))
    expect(result.frame).toMatchObject({ width: 1440, height: 1072 })
    expect(steps.at(-1)).toMatchObject({ step: { kind: 'crop', top: 4, bottom: 4, left: 0, right: 0 } })
  })

  test('that would have to be enlarged beyond all measure to fill a frame is refused, not tried', () => {
    const strip = facts({ width: 4000, height: 40 })
    expect(() => deriveTreatment(strip, exact({ exactly: 'cropped' }))).toThrow(/would make a picture of 108000x1080/)
    expect(() => deriveTreatment(strip, exact({ exactly: 'padded' }))).not.toThrow()
  })

  test('of fields that keep their lines is refused only where it would mix them', () => {
    const kept = { scan: 'as source' as const, codec: 'mpeg2video', profile: 'main', keyframeSeconds: 0.5 }
    const disc = exact({ maxWidth: 720, maxHeight: 576, exactly: 'padded', squarePixels: false, shownAs: '16:9' }, kept)
    expect(deriveTreatment(discFacts, disc).steps).toEqual([])
    expect(() => deriveTreatment(discFacts, exact({ exactly: 'padded' }, kept))).not.toThrow()
    const small = exact({ maxWidth: 640, maxHeight: 480, exactly: 'padded' }, kept)
    expect(() => deriveTreatment(discFacts, small)).toThrow(CannotTreat)
  })
})

describe('a rate that is held', () => {
  const at = (num: number, den = 1) => exact({}, { maxFrameRate: { num, den }, holdsFrameRate: true })
  const film = { ...facts({ frameRate: rational(24), frameCount: 240 }), durationSeconds: 10 }

  test('brings slower material to it by showing frames again, and says how many', () => {
    const { steps, result } = deriveTreatment(film, at(30))
    expect(steps.find(step => step.kind === 'rate')).toMatchObject({
      to: { num: 30, den: 1 },
      why: 'Playback box MP4 runs at 30 fps, and this is 24. One frame in 4 is shown twice.',
    })
    expect(result.frameCount).toBe(300)
    expect(deriveTreatment(film, at(48)).steps.find(step => step.kind === 'rate')?.why).toContain(
      'Every frame is shown twice.',
    )
  })

  test('and faster material by dropping some; the same rate stays as it is', () => {
    expect(deriveTreatment(film, at(24_000, 1001)).result.frameCount).toBe(240)
    expect(deriveTreatment(film, at(12)).result.frameCount).toBe(120)
    expect(deriveTreatment(film, at(24)).steps.some(step => step.kind === 'rate')).toBe(false)
  })

  test('is no rate for fields that stay fields', () => {
    const kept = exact({ enlarge: false, squarePixels: false }, { ...at(30).video, scan: 'as source' })
    expect(() =>
      deriveTreatment(discFacts, {
        ...kept,
        video: { ...kept.video, frame: { ...kept.video.frame, enlarge: false, squarePixels: false } },
      }),
    ).toThrow('another rate mixes the fields')
  })

  test('that stores frames more than once is a mistake to be seen; a frame in a thousand is not', () => {
    const of = (wanted: PictureSpec) =>
      mistakesIn({ spec: wanted, treatment: deriveTreatment(film, wanted), findings: [] }).filter(sentence =>
        sentence.includes('more than once'),
      )
    expect(of(at(60))).toEqual([
      'Playback box MP4 runs at 60 fps, and this picture has 24: frames are stored more than once, and movement is no smoother. A spec that keeps slower rates is enough; More frames in its treatment makes frames between.',
    ])
    expect(of(at(25))).toEqual([])
    expect(of(exact({}, { maxFrameRate: { num: 60, den: 1 } }))).toEqual([])
  })
})

describe('what makes no sense', () => {
  const problems = (frame: Partial<FrameRule>, video: Partial<PictureSpec['video']> = {}) =>
    specProblems(exact(frame, video))

  test.each<[string, Partial<FrameRule>]>([
    ['sides that are no multiples of 16', { exactly: 'padded', multiple: 16 }],
    ['has pixels of its own shape', { exactly: 'padded', shownAs: '4:3', squarePixels: true }],
    ['say which', { exactly: 'padded', squarePixels: false }],
    ['belongs to an exact frame', { shownAs: '4:3', squarePixels: false }],
    ['enlarges smaller pictures', { exactly: 'cropped', enlarge: false }],
    ['no multiples of 2', { exactly: 'padded', maxWidth: 1919 }],
  ])('is said: %s', (words, frame) => {
    expect(problems(frame).join(' ')).toContain(words)
  })

  test('is a held rate without one, or one that the codec has no code for', () => {
    expect(problems({}, { maxFrameRate: null, holdsFrameRate: true }).join(' ')).toContain('has to be named')
    const disc = { codec: 'mpeg2video', profile: 'main', effort: null, keyframeSeconds: 0.5 }
    const rate = { maxFrameRate: { num: 12, den: 1 }, holdsFrameRate: true as const }
    expect(problems({}, { ...disc, ...rate }).join(' ')).toContain('MPEG-2 runs at')
  })

  test('does not outlive a change to pictures in files of their own', () => {
    const tape = exact({ exactly: 'padded', shownAs: 'nearer', squarePixels: false }, { holdsFrameRate: true })
    const still = withContainer(tape, 'png') as PictureSpec
    expect(still.video.frame).toEqual({
      maxWidth: 1920,
      maxHeight: 1080,
      enlarge: true,
      squarePixels: true,
      exactly: 'padded',
    })
    expect(still.video.holdsFrameRate).toBeUndefined()
  })
})

test('a spec says it in plain words', () => {
  const lines = Object.fromEntries(
    describeSpecLines(exact({ exactly: 'padded', shownAs: 'nearer', squarePixels: false }, { holdsFrameRate: true })),
  )
  expect(lines.frame).toBe(
    'exactly 1920x1080, shown as 4:3 or 16:9, whichever is nearer; what the picture leaves is black; smaller pictures are enlarged',
  )
  expect(lines.rate).toBe('exactly 30 fps')
})
