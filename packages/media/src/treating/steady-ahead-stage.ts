import { motionBetween, MotionPath, putBack, withinEdge, type Plane } from '@hematine/core'
import { Frame } from 'node-av/lib'
import type { StagePlan } from './filters.ts'
import { eightBits, readPlanes, writePlanes } from '../ground/frame-planes.ts'
import { ensure, MediaError } from '../ground/libav.ts'
import { SingleStage } from './stage.ts'

/** A second reading of the same frames, ahead of the first. */
export interface FramesAhead {
  /** Fills `frame` with the next one. @returns false at the end */
  next(frame: Frame): Promise<boolean>
  close(): Promise<void>
}

/** Frames are looked at for their motion at about this width: finer costs time and finds no more. */
const lookWidth = 640

/** Puts each frame back to where it would stand without the shake, which a second reading of the source has seen coming: no frames are held. */
export class SteadyAheadStage extends SingleStage {
  private readonly path: MotionPath
  private readonly looked = new Frame()
  private before: Plane | null = null
  private lookedWhole = false
  private taken = 0

  constructor(
    private readonly plan: Extract<StagePlan, { kind: 'steady-ahead' }>,
    private readonly ahead: FramesAhead,
    timeBase: { num: number; den: number },
  ) {
    super(timeBase)
    this.path = new MotionPath(plan.deviation)
    this.looked.alloc()
  }

  protected async take(frame: Frame): Promise<void> {
    while (!this.lookedWhole && this.path.length <= this.taken + this.path.radius) await this.look()
    if (this.path.length <= this.taken)
      throw new MediaError(
        'The second reading of the source ended before the first: the source is damaged or changes while it is read. Use the quick method to steady it.',
      )
    const { edge, shape } = this.plan
    const off = withinEdge(this.path.off(this.taken++), edge, frame)
    const { planes, bitDepth } = readPlanes(frame)
    const moved = planes.map(plane => putBack(plane, off, edge, planes[0]!, shape, 2 ** bitDepth - 1))
    const result = new Frame()
    result.alloc()
    Object.assign(result, { format: frame.format, width: moved[0]!.width, height: moved[0]!.height })
    ensure(result.getBuffer(), 'A steadied picture cannot be made: memory ran out')
    ensure(result.copyProps(frame), 'A steadied picture cannot be made')
    writePlanes(result, moved)
    this.ready = result
  }

  /** Notes the motion of one more frame of the second reading. */
  private async look(): Promise<void> {
    if (!(await this.ahead.next(this.looked))) {
      this.lookedWhole = true
      return
    }
    const { planes, bitDepth } = readPlanes(this.looked, 1)
    const factor = Math.max(1, Math.round(planes[0]!.width / lookWidth))
    const now = reduced(eightBits(planes[0]!, 2 ** (bitDepth - 8)), factor)
    const motion = this.before && motionBetween(this.before, now, this.plan.shape)
    this.path.add(motion && { x: motion.x * factor, y: motion.y * factor, angle: motion.angle })
    this.before = now
    this.looked.unref()
  }

  override free(): void {
    super.free()
    this.looked.free()
    void this.ahead.close()
  }
}

/** A plane of means of squares of `factor` samples. */
function reduced(plane: Plane, factor: number): Plane {
  if (factor === 1) return plane
  const [width, height] = [Math.floor(plane.width / factor), Math.floor(plane.height / factor)]
  const data = new Uint8Array(width * height)
  for (let y = 0, at = 0; y < height; y++)
    for (let x = 0; x < width; x++, at++) {
      let sum = 0
      for (let row = 0; row < factor; row++)
        for (let column = 0, from = (y * factor + row) * plane.stride + x * factor; column < factor; column++, from++)
          sum += plane.data[from]!
      data[at] = sum / (factor * factor)
    }
  return { data, width, height, stride: width }
}
