import type { Plane } from './plane.ts'
import { profilesOf, shiftBetween } from './shift.ts'

/** How a whole picture moved: right and down in samples, turned clockwise about its centre in radians. */
export interface Motion {
  x: number
  y: number
  angle: number
}

/** Side of the squares that are looked for, how many across and down, and how far around the common shift each is looked for. */
const side = 32
const across = 8
const down = 6
export const squaresInAll = across * down
const around = 4
/** Mean departure from its mean below which a square tells nothing, in codes. */
const leastContrast = 3
/** Squares that must agree within `close` samples for a motion to be believed, as a part of those that tell something, and at least. */
const leastAgreeing = 0.4
const leastSquares = 6
const close = 1

interface Place {
  x: number
  y: number
  dx: number
  dy: number
}

/**
 * Motion of the whole picture from one frame to the next: the common shift from the planes' profiles, then squares matched around it, then
 * the shift and turn that fit them best (least squares, outliers left out in rounds).
 * @param shape width of a pixel over its height
 * @returns null where nothing fits: a cut, or a picture without detail
 */
export function motionBetween(before: Plane, now: Plane, shape = 1): Motion | null {
  return supportedMotion(before, now, shape)?.motion ?? null
}

/** The same, with the number of squares that bear it out, of `squaresInAll`. */
export function supportedMotion(before: Plane, now: Plane, shape = 1): { motion: Motion; agreeing: number } | null {
  const common = shiftBetween(profilesOf(before), profilesOf(now))
  const first = fitSquares(
    before,
    now,
    common.fit > 0 ? { x: common.x, y: common.y, angle: 0 } : { x: 0, y: 0, angle: 0 },
    shape,
  )
  if (!first) return null
  // A strong turn moves the outer squares further than they were looked for; with it known, they are found.
  const reached = (Math.abs(first.motion.angle) * Math.max(before.width, before.height)) / 2 < around - 1
  const best = reached ? first : fitSquares(before, now, first.motion, shape)
  return best && best.agreeing >= Math.max(leastSquares, leastAgreeing * best.told) ? best : null
}

/** Matches squares around where a motion would put them, and fits a better one. */
function fitSquares(
  before: Plane,
  now: Plane,
  expected: Motion,
  shape: number,
): { motion: Motion; agreeing: number; told: number } | null {
  const places: Place[] = []
  for (let row = 0; row < down; row++)
    for (let column = 0; column < across; column++) {
      const left = Math.round(((column + 0.5) * before.width) / across - side / 2)
      const top = Math.round(((row + 0.5) * before.height) / down - side / 2)
      const [x, y] = [left + side / 2 - before.width / 2, top + side / 2 - before.height / 2]
      const found = match(
        before,
        now,
        left,
        top,
        Math.round(expected.x - (expected.angle * y) / shape),
        Math.round(expected.y + expected.angle * x * shape),
      )
      if (found) places.push({ x, y, ...found })
    }
  let used = places
  let motion: Motion | null = null
  for (let round = 0; round < 4 && used.length >= leastSquares; round++) {
    motion = fit(used, shape)
    const limit = Math.max(close, 3 / (round + 1))
    const present = motion
    used = places.filter(
      place =>
        Math.hypot(
          place.dx - present.x + (present.angle * place.y) / shape,
          place.dy - present.y - present.angle * place.x * shape,
        ) < limit,
    )
  }
  return motion && { motion, agreeing: used.length, told: places.length }
}

/** Where a square of `before` is found in `now`, as a shift with a fraction; null when it tells nothing or lies at the end of the reach. */
function match(
  before: Plane,
  now: Plane,
  x: number,
  y: number,
  startX: number,
  startY: number,
): { dx: number; dy: number } | null {
  const reach = around + 1
  if (x < 0 || y < 0 || x + side > before.width || y + side > before.height) return null
  if (
    x + startX - reach < 0 ||
    y + startY - reach < 0 ||
    x + startX + side + reach > now.width ||
    y + startY + side + reach > now.height
  )
    return null
  let [sum, spread] = [0, 0]
  for (let row = 0; row < side; row += 2)
    for (let column = 0; column < side; column += 2) sum += before.data[(y + row) * before.stride + x + column]!
  const mean = sum / (side / 2) ** 2
  for (let row = 0; row < side; row += 2)
    for (let column = 0; column < side; column += 2)
      spread += Math.abs(before.data[(y + row) * before.stride + x + column]! - mean)
  if (spread / (side / 2) ** 2 < leastContrast) return null
  const width = 2 * around + 1
  const costs = new Float64Array(width * width)
  for (let shiftY = -around; shiftY <= around; shiftY++)
    for (let shiftX = -around; shiftX <= around; shiftX++) {
      let cost = 0
      for (let row = 0; row < side; row += 2) {
        const from = (y + row) * before.stride + x
        const to = (y + row + startY + shiftY) * now.stride + x + startX + shiftX
        for (let column = row & 2 ? 1 : 0; column < side; column += 2)
          cost += (before.data[from + column]! - now.data[to + column]!) ** 2
      }
      costs[(shiftY + around) * width + shiftX + around] = cost
    }
  let best = 0
  for (let at = 1; at < costs.length; at++) if (costs[at]! < costs[best]!) best = at
  const [column, row] = [best % width, Math.floor(best / width)]
  if (column === 0 || row === 0 || column === width - 1 || row === width - 1) return null
  const between = (left: number, middle: number, right: number) =>
    left - 2 * middle + right > 0 ? (left - right) / (2 * (left - 2 * middle + right)) : 0
  return {
    dx: startX + column - around + between(costs[best - 1]!, costs[best]!, costs[best + 1]!),
    dy: startY + row - around + between(costs[best - width]!, costs[best]!, costs[best + width]!),
  }
}

/** Shift and small turn that fit best: dx = x - angle y / shape, dy = y + angle x shape. */
function fit(places: readonly Place[], shape: number): Motion {
  const count = places.length
  let [x, y, dx, dy] = [0, 0, 0, 0]
  for (const place of places) {
    x += place.x / count
    y += place.y / count
    dx += place.dx / count
    dy += place.dy / count
  }
  let [turned, spread] = [0, 0]
  for (const place of places) {
    const [u, v] = [(place.x - x) * shape, -(place.y - y) / shape]
    turned += u * (place.dy - dy) + v * (place.dx - dx)
    spread += u * u + v * v
  }
  const angle = spread > 0 ? turned / spread : 0
  return { x: dx + (angle * y) / shape, y: dy - angle * x * shape, angle }
}

/**
 * Smooths the path of a shaken picture with the frames before and after at hand: each frame's steady place is that of a straight line
 * fitted to the path around it, nearer frames counting more (a bell of `deviation` frames), never across a cut.
 */
export class MotionPath {
  private readonly path: { place: Motion; cut: boolean }[] = []
  private dropped = 0
  /** Frames before and after that count. */
  readonly radius: number

  /** @param deviation of the bell, in frames */
  constructor(private readonly deviation: number) {
    this.radius = Math.ceil(2 * deviation)
  }

  /** Frames whose motion is known. */
  get length(): number {
    return this.dropped + this.path.length
  }

  /** Notes the motion of the next frame since the one before it; null begins a new shot. */
  add(motion: Motion | null): void {
    const last = this.path.at(-1)?.place ?? { x: 0, y: 0, angle: 0 }
    this.path.push({
      place: motion
        ? { x: last.x + motion.x, y: last.y + motion.y, angle: last.angle + motion.angle }
        : { x: 0, y: 0, angle: 0 },
      cut: motion === null,
    })
  }

  /** How far a frame is off its steady place. Frames must be asked for in order; those far behind are forgotten. */
  off(frame: number): Motion {
    const at = frame - this.dropped
    let [from, to] = [at, at]
    while (from > 0 && from > at - this.radius && !this.path[from]!.cut) from--
    while (to + 1 < this.path.length && to < at + this.radius && !this.path[to + 1]!.cut) to++
    const off = {
      x: this.offLine(from, to, at, 'x'),
      y: this.offLine(from, to, at, 'y'),
      angle: this.offLine(from, to, at, 'angle'),
    }
    while (this.dropped < frame - this.radius) {
      this.path.shift()
      this.dropped++
    }
    return off
  }

  private offLine(from: number, to: number, at: number, axis: keyof Motion): number {
    let [sum, sumT, sumV, sumTT, sumTV] = [0, 0, 0, 0, 0]
    for (let index = from; index <= to; index++) {
      const [t, value] = [index - at, this.path[index]!.place[axis]]
      const weight = Math.exp(-(t * t) / (2 * this.deviation ** 2))
      sum += weight
      sumT += weight * t
      sumV += weight * value
      sumTT += weight * t * t
      sumTV += weight * t * value
    }
    const spread = sum * sumTT - sumT * sumT
    const slope = spread < 1e-9 ? 0 : (sum * sumTV - sumT * sumV) / spread
    return this.path[at]!.place[axis] - (sumV - slope * sumT) / sum
  }
}

/** A motion cut to what an edge of so many samples on each side of a picture can hide: the turn takes at most half of it. */
export function withinEdge(
  { x, y, angle }: Motion,
  edge: number,
  { width, height }: { width: number; height: number },
): Motion {
  const half = Math.max(width, height) / 2
  const most = edge / 2 / half
  const turned = Math.max(-most, Math.min(most, angle))
  const left = edge - Math.abs(turned) * half
  return { x: Math.max(-left, Math.min(left, x)), y: Math.max(-left, Math.min(left, y)), angle: turned }
}
