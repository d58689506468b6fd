import { describe, expect, test } from 'vitest'
import { letteringOf, type Plane } from '../src/index.ts'

const [width, height] = [720, 576]
const draw = (value: (x: number, y: number) => number): Plane => ({
  data: Uint8Array.from({ length: width * height }, (_, at) => value(at % width, Math.floor(at / width))),
  width,
  height,
  stride: width,
})
/** Letters of five by seven dots: H, E, A, R. */
const letters = [
  ['X...X', 'X...X', 'X...X', 'XXXXX', 'X...X', 'X...X', 'X...X'],
  ['XXXXX', 'X....', 'X....', 'XXXX.', 'X....', 'X....', 'XXXXX'],
  ['.XXX.', 'X...X', 'X...X', 'XXXXX', 'X...X', 'X...X', 'X...X'],
  ['XXXX.', 'X...X', 'X...X', 'XXXX.', 'X.X..', 'X..X.', 'X...X'],
]
/** Lines of letters on a shaded ground, dots of so many pixels, between two heights. */
const written = (dot: number, from: number, to: number, ink = 230) =>
  draw((x, y) => {
    const ground = 40 + (x / width) * 30
    if (y < from || y >= to || x < 60 || x >= 660) return ground
    const [column, row] = [Math.floor((x - 60) / dot), Math.floor((y - from) / dot) % 9]
    return letters[Math.floor(column / 6) % 4]![row]?.[column % 6] === 'X' ? ink : ground
  })
/** A repeatable scatter of values from 0 to 255. */
const scattered = (x: number, y: number) =>
  ((Math.imul(x * 374_761_393 + y * 668_265_263, 1_274_126_177) >>> 8) ^ (x * 2_654_435_761 + y * 97)) & 255

describe('lettering', () => {
  test.each([2, 3, 5, 7])('in dots of %i pixels is found where it stands', dot => {
    const found = letteringOf(written(dot, 400, 400 + 9 * dot * 2))
    expect(found).toBeGreaterThan(0.012)
    // Two lines of letters take this part of the picture, with the paper around them.
    expect(found).toBeLessThan((2 * 9 * dot + 34) / height)
  })

  test('grows with the number of its lines', () => {
    expect(letteringOf(written(3, 100, 500))).toBeGreaterThan(3 * letteringOf(written(3, 400, 454)))
  })

  test.each([
    ['an empty ground', (x: number) => 40 + x / 10],
    ['one edge', (x: number) => (x < 300 ? 40 : 220)],
    ['upright stripes', (x: number) => (x % 8 < 4 ? 20 : 230)],
    ['level stripes', (_: number, y: number) => (y % 8 < 4 ? 20 : 230)],
    ['a fine checkerboard', (x: number, y: number) => ((x + y) % 2) * 255],
    ['noise', scattered],
    ['noise in two tones', (x: number, y: number) => (scattered(x, y) < 128 ? 0 : 255)],
    ['waves', (x: number, y: number) => 128 + 90 * Math.sin(x / 5) * Math.sin(y / 7)],
  ] as [string, (x: number, y: number) => number][])('is not seen in %s', (_, value) => {
    expect(letteringOf(draw(value))).toBeLessThan(0.012)
  })

  test('too faint to be read does not count, nor does a picture smaller than its cells', () => {
    expect(letteringOf(written(3, 400, 454, 80))).toBe(0)
    expect(letteringOf({ data: new Uint8Array(64), width: 8, height: 8, stride: 8 })).toBe(0)
  })
})
