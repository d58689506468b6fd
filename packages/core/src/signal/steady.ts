/** Frames before and after one that its steady place is worked out from: about half a second each way at 25 a second. */
export const steadyRadius = 12
/** Shifts that fit worse than this are cuts or tell nothing; the path goes on as if the picture had stood still. */
const leastFit = 0.3

interface Point {
  x: number
  y: number
}

/**
 * Smooths the path of a shaken picture while its frames come. Each frame's steady place is that of a straight line through the places of
 * the frames around it (least squares), so that a pan stays a pan and only what departs from it is taken out.
 */
export class PathSmoother {
  private readonly path: Point[] = []
  /** Number of the frame whose turn is next. */
  private next = 0
  private dropped = 0

  /** @param most largest correction in each direction, in pixels */
  constructor(private readonly most: number) {}

  /** Notes the shift of a frame since the one before it. */
  add(shift: { x: number; y: number; fit: number }): void {
    const last = this.path.at(-1) ?? { x: 0, y: 0 }
    const counts = shift.fit >= leastFit
    this.path.push({ x: last.x + (counts ? shift.x : 0), y: last.y + (counts ? shift.y : 0) })
  }

  /** How far the next frame is off its steady place, right and down positive; null while frames after it are still missing. @param ended no more will come */
  take(ended: boolean): Point | null {
    const end = this.dropped + this.path.length
    if (this.next >= end || (!ended && this.next + steadyRadius >= end)) return null
    const at = this.next++ - this.dropped
    const [from, to] = [Math.max(0, at - steadyRadius), Math.min(this.path.length - 1, at + steadyRadius)]
    const off = { x: this.offLine(from, to, at, 'x'), y: this.offLine(from, to, at, 'y') }
    if (at > steadyRadius) {
      this.path.shift()
      this.dropped++
    }
    return off
  }

  private offLine(from: number, to: number, at: number, axis: 'x' | 'y'): number {
    const count = to - from + 1
    let [sumT, sumV, sumTT, sumTV] = [0, 0, 0, 0]
    for (let index = from; index <= to; index++) {
      const [t, value] = [index - at, this.path[index]![axis]]
      sumT += t
      sumV += value
      sumTT += t * t
      sumTV += t * value
    }
    const spread = count * sumTT - sumT * sumT
    const slope = spread === 0 ? 0 : (count * sumTV - sumT * sumV) / spread
    const line = (sumV - slope * sumT) / count
    return Math.max(-this.most, Math.min(this.most, this.path[at]![axis] - line))
  }
}
