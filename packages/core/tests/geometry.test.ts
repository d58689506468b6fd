import { describe, expect, test } from 'vitest'
import {
  describeAspect,
  displayAspect,
  fitFrame,
  pixelAspectFor,
  rational,
  roundToMultiple,
  toNumber,
  type FrameRule,
  type StoredFrame,
} from '../src/index.ts'

/** Pixel aspects as MPEG-2 and DV files state them: the full 720 columns show 4:3 or 16:9. */
const palWide: StoredFrame = { width: 720, height: 576, pixelAspect: rational(64, 45) }
const palNarrow: StoredFrame = { width: 720, height: 576, pixelAspect: rational(16, 15) }
const ntscNarrow: StoredFrame = { width: 720, height: 480, pixelAspect: rational(8, 9) }
const ntscWide: StoredFrame = { width: 720, height: 480, pixelAspect: rational(32, 27) }
const fullHd: StoredFrame = { width: 1920, height: 1080, pixelAspect: rational(1) }

const box: FrameRule = { maxWidth: 1920, maxHeight: 1080, enlarge: true, squarePixels: true }

describe('display aspect', () => {
  test.each([
    [palWide, 16, 9],
    [palNarrow, 4, 3],
    [ntscNarrow, 4, 3],
    [ntscWide, 16, 9],
    [fullHd, 16, 9],
  ])('of %o is %i:%i', (frame, num, den) => {
    expect(displayAspect(frame)).toEqual({ num, den })
  })

  test('gives the pixel aspect back', () => {
    expect(pixelAspectFor({ width: 720, height: 576 }, rational(16, 9))).toEqual({ num: 64, den: 45 })
    expect(pixelAspectFor({ width: 1440, height: 1080 }, rational(16, 9))).toEqual({ num: 4, den: 3 })
  })

  test('is named as the trade does, or by its ratio', () => {
    expect(describeAspect(rational(16, 9))).toBe('16:9')
    expect(describeAspect(rational(853, 480))).toBe('16:9')
    expect(describeAspect(rational(4, 3))).toBe('4:3')
    expect(describeAspect(rational(2048, 858))).toBe('2.39:1')
    expect(describeAspect(rational(7, 4))).toBe('1.75:1')
  })
})

describe('fitting a picture into a spec', () => {
  test('enlarges wide 576-line pictures to 1920x1080 and 4:3 ones to 1440x1080, square', () => {
    expect(fitFrame(palWide, box)).toEqual({ width: 1920, height: 1080, pixelAspect: { num: 1, den: 1 } })
    expect(fitFrame(palNarrow, box)).toEqual({ width: 1440, height: 1080, pixelAspect: { num: 1, den: 1 } })
    expect(fitFrame(ntscNarrow, box)).toEqual({ width: 1440, height: 1080, pixelAspect: { num: 1, den: 1 } })
  })

  test('without enlarging, keeps every line of narrow pixels and every column of wide ones', () => {
    const rule = { ...box, enlarge: false }
    expect(fitFrame(palWide, rule)).toEqual({ width: 1024, height: 576, pixelAspect: { num: 1, den: 1 } })
    expect(fitFrame(ntscNarrow, rule)).toEqual({ width: 720, height: 540, pixelAspect: { num: 1, den: 1 } })
  })

  test('reduces 4K to the box', () => {
    expect(fitFrame({ width: 3840, height: 2160, pixelAspect: rational(1) }, { ...box, enlarge: false })).toMatchObject(
      { width: 1920, height: 1080 },
    )
    // 2.39:1: the width decides, 1920 / (4096 / 1716) = 804.4, to the nearest even number.
    expect(fitFrame({ width: 4096, height: 1716, pixelAspect: rational(1) }, box)).toMatchObject({
      width: 1920,
      height: 804,
    })
  })

  test('leaves a stored frame that fits as it is when pixels may keep their shape', () => {
    const rule = { ...box, enlarge: false, squarePixels: false }
    expect(fitFrame(palWide, rule)).toEqual(palWide)
    expect(fitFrame(ntscNarrow, rule)).toEqual(ntscNarrow)
  })

  test('makes odd sides even and corrects the pixel aspect for it', () => {
    const odd = { width: 719, height: 575, pixelAspect: rational(16, 15) }
    const fitted = fitFrame(odd, { ...box, enlarge: false, squarePixels: false })
    expect([fitted.width % 2, fitted.height % 2]).toEqual([0, 0])
    expect(toNumber(displayAspect(fitted))).toBeCloseTo(toNumber(displayAspect(odd)), 10)
  })

  test.each([
    palWide,
    palNarrow,
    ntscNarrow,
    ntscWide,
    fullHd,
    { width: 352, height: 288, pixelAspect: rational(12, 11) },
    { width: 1080, height: 1920, pixelAspect: rational(1) },
  ])('never bends %o by more than a pixel multiple', source => {
    for (const enlarge of [true, false]) {
      const fitted = fitFrame(source, { ...box, enlarge })
      const wanted = toNumber(displayAspect(source))
      const tolerance = 2 / Math.min(fitted.width, fitted.height)
      expect(Math.abs(toNumber(displayAspect(fitted)) / wanted - 1)).toBeLessThan(tolerance)
      expect(fitted.width).toBeLessThanOrEqual(1920)
      expect(fitted.height).toBeLessThanOrEqual(1080)
    }
  })

  test('rounds to multiples and never to nothing', () => {
    expect(roundToMultiple(853.3, 2)).toBe(854)
    expect(roundToMultiple(0.2, 16)).toBe(16)
  })
})
