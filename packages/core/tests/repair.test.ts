import { describe, expect, test } from 'vitest'
import {
  dustMask,
  fillColumns,
  fillFromNeighbours,
  findScratches,
  moved,
  reduceMask,
  type Samples,
} from '../src/index.ts'

const size = { width: 24, height: 16 }
/** A plane from a rule for each place. */
const plane = (value: (x: number, y: number) => number): Samples<Uint8Array> => ({
  ...size,
  data: Uint8Array.from({ length: size.width * size.height }, (_, at) =>
    value(at % size.width, Math.floor(at / size.width)),
  ),
})
const places = (mask: Uint8Array) =>
  [...mask].flatMap((value, at) => (value === 1 ? [`${at % size.width},${Math.floor(at / size.width)}`] : []))

describe('dust', () => {
  const ramp = plane((x, y) => 60 + 3 * x + y)
  const dusty = plane((x, y) => (x >= 10 && x <= 11 && y >= 5 && y <= 6 ? 220 : 60 + 3 * x + y))

  test('is what one frame alone shows', () => {
    expect(places(dustMask(ramp, dusty, ramp, 16))).toEqual(['10,5', '11,5', '10,6', '11,6'])
    expect(places(dustMask(ramp, ramp, ramp, 16))).toEqual([])
  })

  test('may be dark, and takes its soft rim with it', () => {
    const soft = plane((x, y) =>
      y === 8 && x === 12 ? 20 : y === 8 && (x === 11 || x === 13) ? 60 + 3 * x + y - 12 : 60 + 3 * x + y,
    )
    expect(places(dustMask(ramp, soft, ramp, 16))).toEqual(['11,8', '12,8', '13,8'])
  })

  test('is not seen where the frames around differ, nor in what moved by a sample', () => {
    const bar = (from: number) => plane(x => (x >= from && x < from + 3 ? 200 : 80))
    expect(places(dustMask(bar(8), bar(9), bar(10), 16))).toEqual([])
    expect(
      places(
        dustMask(
          plane(() => 80),
          dusty,
          plane(() => 200),
          16,
        ),
      ),
    ).toEqual([])
  })

  test('is filled with the mean of the frames around', () => {
    const now = { ...size, data: dusty.data.slice() }
    expect(fillFromNeighbours(ramp, now, ramp, dustMask(ramp, dusty, ramp, 16))).toBe(4)
    expect(now.data).toEqual(ramp.data)
  })

  test('covers a sample of colour when it covers any pixel of it', () => {
    const mask = new Uint8Array(size.width * size.height)
    mask[5 * size.width + 10] = 1
    const reduced = reduceMask(mask, size.width, size.height, { width: 12, height: 8 })
    expect([...reduced].flatMap((value, at) => (value === 1 ? [at] : []))).toEqual([2 * 12 + 5])
  })
})

describe('scratches', () => {
  const smooth = plane((x, y) => 80 + 2 * x + y)
  const scratched = plane((x, y) => (x === 8 || x === 9 ? 200 : x === 16 ? 20 : 80 + 2 * x + y))

  test('are bright or dark lines along the whole height', () => {
    expect(findScratches(scratched, 7)).toEqual([
      { from: 8, to: 9 },
      { from: 16, to: 16 },
    ])
    expect(findScratches(smooth, 7)).toEqual([])
  })

  test('are neither edges, nor wide, nor short', () => {
    expect(
      findScratches(
        plane(x => (x < 12 ? 60 : 180)),
        7,
      ),
    ).toEqual([])
    expect(
      findScratches(
        plane(x => (x >= 8 && x < 14 ? 180 : 60)),
        7,
      ),
    ).toEqual([])
    expect(
      findScratches(
        plane((x, y) => (x === 8 && y > 6 ? 200 : 60)),
        7,
      ),
    ).toEqual([])
  })

  test('are filled from both sides', () => {
    const filled = { ...size, data: scratched.data.slice() }
    fillColumns(filled, findScratches(scratched, 7))
    expect(filled.data).toEqual(smooth.data)
  })
})

test('a plane is moved right and down, its edge repeated', () => {
  const spot = plane((x, y) => (x === 3 && y === 4 ? 255 : 0))
  expect(places(Uint8Array.from(moved(spot, 5, -2).data, value => value / 255))).toEqual(['8,2'])
  expect(
    moved(
      plane(x => (x === 0 ? 9 : 0)),
      3,
      0,
    ).data.subarray(0, 5),
  ).toEqual(Uint8Array.of(9, 9, 9, 9, 0))
})
