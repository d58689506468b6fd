import { describe, expect, test } from 'vitest'
import { levelUnder, lotLevels, sizeAtLikeness, type CurvePoint, type LotItem } from '../src/index.ts'

/** A lot whose items are all equally good, under a cap for the whole of it. */

/** A curve that takes twice the bytes for every 6 dB, from 28 to 46 dB, and is known exactly. */
const doubling = (bytesAt34: number, from = 28, to = 46): CurvePoint[] =>
  [from, from + (to - from) / 2, to].reverse().map((xpsnr, index) => {
    const expected = bytesAt34 * 2 ** ((xpsnr - 34) / 6)
    return {
      value: 20 + index,
      xpsnr,
      worstXpsnr: xpsnr,
      ssim: 0.98,
      bytes: { expected, low: expected, high: expected },
    }
  })
const item = (name: string, points: CurvePoint[], units = 100): LotItem => ({ name, units, points })
const at = (levels: ReturnType<typeof lotLevels>, xpsnr: number) => levels.find(level => level.xpsnr === xpsnr)!

describe('the size of an item at a likeness', () => {
  test('lies between its points as a factor: halfway in decibels is the geometric mean', () => {
    expect(sizeAtLikeness(doubling(1000), 34).expected).toBeCloseTo(1000, 6)
    expect(sizeAtLikeness(doubling(1000), 40).expected).toBeCloseTo(2000, 6)
    expect(sizeAtLikeness(doubling(1000), 37).expected).toBeCloseTo(1000 * Math.SQRT2, 6)
  })

  test('is that of its coarsest point below it, and takes no notice of points that are no better for more bytes', () => {
    expect(sizeAtLikeness(doubling(1000), 20).expected).toBeCloseTo(500, 6)
    const bumpy = doubling(1000)
    bumpy.splice(1, 0, { ...bumpy[1]!, value: 20.5, xpsnr: 30, bytes: { expected: 3000, low: 3000, high: 3000 } })
    expect(sizeAtLikeness(bumpy, 37).expected).toBeCloseTo(1000 * Math.SQRT2, 6)
  })
})

describe('the levels of a lot', () => {
  test('are the sums of its items at the same likeness, with the smallest and the largest by name', () => {
    const levels = lotLevels([item('calm', doubling(1000)), item('busy', doubling(9000))])
    expect(at(levels, 34)).toMatchObject({
      bytes: { expected: expect.closeTo(10_000, 3) as number },
      smallest: { name: 'calm', bytes: expect.closeTo(1000, 3) as number },
      largest: { name: 'busy', bytes: expect.closeTo(9000, 3) as number },
    })
    expect(at(levels, 40).bytes.expected).toBeCloseTo(20_000, 3)
  })

  test('count that a measured quality may be missed by half a dB, each item by itself', () => {
    const one = at(lotLevels([item('one', doubling(10_000))]), 37).bytes
    // Half a dB more takes 2^(1/12), which is 5.9 % more.
    expect(one.high / one.expected).toBeCloseTo(2 ** (0.5 / 6), 3)
    const four = at(lotLevels(Array.from({ length: 4 }, (_, index) => item(`${index}`, doubling(2500)))), 37).bytes
    expect(four.high / four.expected - 1).toBeCloseTo((2 ** (0.5 / 6) - 1) / 2, 3)
  })

  test('go no further than every measured curve does, nor than a spec can ask for', () => {
    const levels = lotLevels([item('one', doubling(1000)), item('noisy', doubling(5000, 24, 38.2))])
    expect([levels[0]!.xpsnr, levels.at(-1)!.xpsnr]).toEqual([25, 38])
    expect(lotLevels([item('exact', doubling(1000, 50, 80))]).at(-1)!.xpsnr).toBe(60)
  })

  test('take items that were not measured for like the others, by their work, and are less sure of them', () => {
    const measured = [item('a', doubling(1000), 100), item('b', doubling(2200), 200)]
    const all = at(lotLevels([...measured, item('c', [], 300), item('d', [], 400)]), 34).bytes
    // (1000/100 + 2200/200) / 2 = 10.5 bytes for each unit.
    expect(all.expected).toBeCloseTo(3200 + 10.5 * 700, 3)
    const lone = at(lotLevels([measured[0]!, item('c', [], 900)]), 34).bytes
    expect(lone.expected).toBeCloseTo(10_000, 3)
    expect(lone.high / lone.expected).toBeGreaterThan(1.4)
    expect((all.high - all.expected) / all.expected).toBeLessThan((lone.high - lone.expected) / lone.expected)
  })

  test('carry what a forecast knows of an item along the shape of the others, surer near its likeness than far from it', () => {
    const known = { xpsnr: 40, bytes: { expected: 50_000, low: 45_000, high: 55_000 } }
    const carried = (count: number) =>
      lotLevels([
        ...Array.from({ length: count }, (_, index) => item(`curve ${index}`, doubling(10))),
        { ...item('known', []), forecast: known },
      ])
    // Twice the bytes for every 6 dB, as the measured ones have it.
    expect(at(carried(1), 40).bytes.expected).toBeCloseTo(50_000 + 20, 0)
    expect(at(carried(1), 34).bytes.expected).toBeCloseTo(25_000 + 10, 0)
    const width = (levels: ReturnType<typeof lotLevels>, xpsnr: number) => {
      const { bytes } = at(levels, xpsnr)
      return (bytes.high - bytes.expected) / bytes.expected
    }
    expect(width(carried(1), 40)).toBeCloseTo(0.1, 2)
    // Of one curve alone, half of the change is open: the square root of two.
    expect(width(carried(1), 34)).toBeCloseTo(Math.hypot(0.1, Math.SQRT2 - 1), 2)
    // Three that agree leave nothing open.
    expect(width(carried(3), 34)).toBeCloseTo(0.1, 2)
    expect(at(carried(1), 40).largest.name).toBe('known')
  })

  test('are none without a curve that tells sizes apart', () => {
    expect(lotLevels([])).toEqual([])
    expect(lotLevels([item('one', [])])).toEqual([])
    const identical = doubling(1000).map(point => ({ ...point, xpsnr: null }))
    expect(lotLevels([item('black', identical)])).toEqual([])
  })
})

describe('a cap for the whole lot', () => {
  const items = [item('calm', doubling(1000)), item('busy', doubling(9000)), item('long', doubling(4000))]
  const levels = lotLevels(items)

  test('is kept at the upper end of what the results may come to, by the best level that does', () => {
    const found = levelUnder(levels, 20_000)!
    expect(found.bytes.high).toBeLessThanOrEqual(20_000)
    expect(at(levels, found.xpsnr + 0.5).bytes.high).toBeGreaterThan(20_000)
    expect(levelUnder(levels, 1_000_000)).toBe(levels.at(-1))
    expect(levelUnder(levels, 100)).toBeNull()
  })

  test('leaves no way of sharing the same bytes out whose worst item is better', () => {
    const { xpsnr, bytes } = levelUnder(levels, 20_000)!
    const sizeOf = (at34: number, likeness: number) => at34 * 2 ** ((likeness - 34) / 6)
    const grid = Array.from({ length: 37 }, (_, index) => 28 + index / 2)
    let best = 0
    for (const a of grid)
      for (const b of grid)
        for (const c of grid)
          if (sizeOf(1000, a) + sizeOf(9000, b) + sizeOf(4000, c) <= bytes.expected * 1.000001)
            best = Math.max(best, Math.min(a, b, c))
    expect(best).toBe(xpsnr)
  })
})
