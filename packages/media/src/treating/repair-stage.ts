import {
  dustMask,
  fillColumns,
  fillFromNeighbours,
  findScratches,
  moved,
  profilesOf,
  reduceMask,
  shiftBetween,
  type Profiles,
  type Samples,
  type Strength,
} from '@hematine/core'
import { Frame } from 'node-av/lib'
import { eightBits, readPlanes, rewritten } from '../ground/frame-planes.ts'
import { SingleStage } from './stage.ts'

/** Codes of 255 by which dust, and a scratch, must depart. */
const dustCodes: Record<Strength, number> = { light: 24, medium: 16, strong: 10 }
const scratchCodes: Record<Strength, number> = { light: 12, medium: 7, strong: 4 }

/** Motion of the whole picture that fits worse than this is none. */
const leastFit = 0.3

/** `shift` is how far the whole picture moved since the frame before. */
interface Held {
  frame: Frame
  planes: Samples[]
  profiles: Profiles
  shift: { x: number; y: number }
}

/** Takes dust out of frames, looking at the one before and the one after, or scratches, which each frame shows by itself. */
export class RepairStage extends SingleStage {
  /** The last three frames at most, oldest first. The oldest one has been handed out. */
  private readonly window: Held[] = []
  private scale = 1

  constructor(
    private readonly what: 'dust' | 'scratches',
    private readonly strength: Strength,
    timeBase: { num: number; den: number },
  ) {
    super(timeBase)
  }

  protected async take(frame: Frame): Promise<void> {
    const held = new Frame()
    held.alloc()
    held.ref(frame)
    const { planes, bitDepth } = readPlanes(frame)
    this.scale = 2 ** (bitDepth - 8)
    if (this.what === 'scratches') {
      const luma = planes[0]!
      const found = findScratches(luma, scratchCodes[this.strength] * this.scale)
      for (const plane of planes) fillColumns(plane, found, Math.round(luma.width / plane.width))
      this.ready = found.length > 0 ? rewritten(held, planes) : held
      return
    }
    const profiles = profilesOf(eightBits(planes[0]!, this.scale))
    const last = this.window.at(-1)
    const shift = last ? shiftBetween(last.profiles, profiles) : { x: 0, y: 0, fit: 0 }
    this.window.push({
      frame: held,
      planes,
      profiles,
      shift: shift.fit < leastFit ? { x: 0, y: 0 } : { x: Math.round(shift.x), y: Math.round(shift.y) },
    })
    if (this.window.length === 1) return
    if (this.window.length === 2) {
      // Nothing came before the first frame: it stays as it is.
      this.ready = copyOf(this.window[0]!.frame)
      return
    }
    const [before, now, after] = this.window as [Held, Held, Held]
    this.ready = this.repairDust(before, now, after)
    this.window.shift()!.frame.free()
  }

  private repairDust(before: Held, now: Held, after: Held): Frame {
    const luma = now.planes[0]!
    // The frames around are moved onto this one, so that a pan is no motion.
    const around = (held: Held, { x, y }: { x: number; y: number }) =>
      held.planes.map(plane =>
        moved(plane, Math.round((x * plane.width) / luma.width), Math.round((y * plane.height) / luma.height)),
      )
    const [earlier, later] = [around(before, now.shift), around(after, { x: -after.shift.x, y: -after.shift.y })]
    const mask = dustMask(earlier[0]!, luma, later[0]!, dustCodes[this.strength] * this.scale)
    let replaced = 0
    for (const [index, plane] of now.planes.entries())
      replaced += fillFromNeighbours(
        earlier[index]!,
        plane,
        later[index]!,
        reduceMask(mask, luma.width, luma.height, plane),
      )
    const frame = copyOf(now.frame)
    return replaced > 0 ? rewritten(frame, now.planes) : frame
  }

  /** The last frame has none after it: it stays as it is. */
  protected override last(): Frame | null {
    const last = this.window.pop() ?? null
    for (const held of this.window.splice(0)) held.frame.free()
    return last && last.frame
  }

  override free(): void {
    super.free()
    for (const { frame } of this.window) frame.free()
  }
}

function copyOf(frame: Frame): Frame {
  const copy = new Frame()
  copy.alloc()
  copy.ref(frame)
  return copy
}
