import { describe, expect, test } from 'vitest'
import { motionBetween, MotionPath, putBack, withinEdge, type Motion, type Plane } from '../src/index.ts'

const size = { width: 400, height: 300 }
/** A texture without a period, smooth enough to be sampled anywhere. */
const texture = (x: number, y: number) =>
  120 +
  30 * Math.sin(x / 7 + Math.sin(y / 31) * 3) +
  25 * Math.sin(y / 6 + Math.cos(x / 43) * 2) +
  20 * Math.sin((x + 2 * y) / 13 + Math.sin(x / 57))
/** The texture moved: what stood at a place p from the centre stands at the turned p plus the shift. */
function shown({ x, y, angle }: Motion, shape = 1): Plane {
  const data = new Uint8Array(size.width * size.height)
  const [sine, cosine] = [Math.sin(-angle), Math.cos(-angle)]
  for (let row = 0, at = 0; row < size.height; row++)
    for (let column = 0; column < size.width; column++, at++) {
      const [u, v] = [column + 0.5 - size.width / 2 - x, row + 0.5 - size.height / 2 - y]
      data[at] = Math.round(texture(u * cosine - (v * sine) / shape, v * cosine + u * sine * shape))
    }
  return { ...size, data, stride: size.width }
}
const still = shown({ x: 0, y: 0, angle: 0 })

describe('motion between two frames', () => {
  test.each([
    [{ x: 3.4, y: -2.3, angle: 0 }],
    [{ x: 0, y: 0, angle: 0.012 }],
    [{ x: -9.6, y: 5.2, angle: -0.008 }],
    [{ x: 0.3, y: 0.2, angle: 0 }],
  ])('is found to a tenth of a pixel and two hundredths of a degree (%j)', motion => {
    const found = motionBetween(still, shown(motion))!
    expect(Math.abs(found.x - motion.x)).toBeLessThan(0.12)
    expect(Math.abs(found.y - motion.y)).toBeLessThan(0.12)
    expect(Math.abs(found.angle - motion.angle)).toBeLessThan(0.0004)
  })

  test('allows for pixels that are not square', () => {
    const found = motionBetween(still, shown({ x: 1, y: 2, angle: 0.01 }, 64 / 45), 64 / 45)!
    expect(Math.abs(found.angle - 0.01)).toBeLessThan(0.0005)
    expect(Math.abs(found.x - 1)).toBeLessThan(0.15)
  })

  test('is not told across a cut, nor of an empty picture', () => {
    const other = { ...still, data: still.data.map((_, at) => (at * 7919) % 251) }
    expect(motionBetween(still, other)).toBeNull()
    const empty = { ...still, data: new Uint8Array(still.data.length).fill(90) }
    expect(motionBetween(empty, empty)).toBeNull()
  })

  test('is that of the ground when something moves across it', () => {
    const now = shown({ x: 2, y: 1, angle: 0 })
    for (let row = 100; row < 200; row++)
      for (let column = 150; column < 270; column++) now.data[row * size.width + column] = 40 + ((row * column) % 90)
    const found = motionBetween(still, now)!
    expect(Math.abs(found.x - 2)).toBeLessThan(0.15)
    expect(Math.abs(found.y - 1)).toBeLessThan(0.15)
  })
})

describe('the path', () => {
  test('of a pan is left alone, what shakes about it is found', () => {
    const path = new MotionPath(6)
    const shake = (frame: number) => [0, 3, -2, 4, -5, 1][frame % 6]!
    path.add(null)
    for (let frame = 1; frame < 60; frame++) path.add({ x: 2 + shake(frame) - shake(frame - 1), y: 0, angle: 0.001 })
    for (let frame = 0; frame < 60; frame++) {
      const { x, angle } = path.off(frame)
      if (frame > 12 && frame < 48) expect(Math.abs(x - (shake(frame) - 1 / 6))).toBeLessThan(0.7)
      expect(Math.abs(angle)).toBeLessThan(1e-9)
    }
  })

  test('does not reach across a cut', () => {
    const path = new MotionPath(6)
    for (let frame = 0; frame < 40; frame++)
      path.add(frame === 0 || frame === 20 ? null : { x: frame < 20 ? 5 : -5, y: 0, angle: 0 })
    for (let frame = 0; frame < 40; frame++) expect(Math.abs(path.off(frame).x)).toBeLessThan(1e-6)
  })

  test('is held within the edge, the turn in half of it', () => {
    expect(withinEdge({ x: 100, y: -3, angle: 0 }, 24, size)).toEqual({ x: 24, y: -3, angle: 0 })
    // A turn of 0.1 would move the corners by 20 of 400 samples; half of the edge allows 0.06, which leaves 12.
    const kept = withinEdge({ x: 100, y: 0, angle: 0.1 }, 24, size)
    expect(kept.angle).toBeCloseTo(0.06, 6)
    expect(kept.x).toBeCloseTo(12, 6)
  })
})

describe('putting back', () => {
  const edge = 24
  const inner = (plane: Plane) =>
    Uint8Array.from(
      { length: (size.width - 2 * edge) * (size.height - 2 * edge) },
      (_, at) =>
        plane.data[
          (Math.floor(at / (size.width - 2 * edge)) + edge) * size.width + (at % (size.width - 2 * edge)) + edge
        ]!,
    )
  const meanDifference = (a: ArrayLike<number>, b: ArrayLike<number>) =>
    Array.from(a, (value, at) => Math.abs(value - b[at]!)).reduce((sum, value) => sum + value, 0) / a.length

  test('a moved and turned picture is as it was', () => {
    const motion = { x: 7.3, y: -4.6, angle: 0.02 }
    const back = putBack({ ...size, data: shown(motion).data }, motion, edge, size, 1, 255)
    expect(back).toMatchObject({ width: 352, height: 252 })
    expect(meanDifference(back.data, inner(still))).toBeLessThan(0.6)
  })

  test('whole samples are copied to the bit, in more than eight bits and for planes of colour too', () => {
    const deep = Uint16Array.from(shown({ x: 5, y: -3, angle: 0 }).data, value => value * 4)
    expect([...putBack({ ...size, data: deep }, { x: 5, y: -3, angle: 0 }, edge, size, 1, 1023).data]).toEqual(
      [...inner(still)].map(value => value * 4),
    )
    const half = { width: 200, height: 150, data: Uint8Array.from({ length: 200 * 150 }, (_, at) => at % 200) }
    const moved = putBack(half, { x: 4, y: 0, angle: 0 }, edge, size, 1, 255)
    expect(moved).toMatchObject({ width: 176, height: 126 })
    // Column 0 of the result is column 12 of the plane, moved by two of its samples.
    expect(moved.data[0]).toBe(14)
  })
})
