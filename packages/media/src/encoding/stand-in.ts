import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { sessionBytes, throttledTo, type Device, type HardwareCodec, type StandInFault } from '@hematine/core'
import type { Frame } from 'node-av/lib'
import { readPlanes, rewritten } from '../ground/frame-planes.ts'
import { DeviceProblem } from '../ground/graphics-devices.ts'
import { ensure } from '../ground/libav.ts'
import { standInFault } from '../ground/stand-in-faults.ts'

/** How often a session looks whether its device has a fault. */
const lookMilliseconds = 250
/** Of a device with wrong output, every so many frames one is not what it was given. */
const wrongEvery = 24

const megabytes = (bytes: number) => `${Math.round(bytes / 1024 / 1024)} MB`
const lives = (pid: number): boolean => {
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}

/** What the sessions of a device have of its memory, in bytes; what processes left that are gone does not count. */
function takenBytes(directory: string): number {
  let taken = 0
  for (const name of readdirSync(directory).filter(entry => entry.startsWith('session-'))) {
    const [pid, bytes] = readFileSync(path.join(directory, name), 'utf8').split(' ').map(Number)
    if (pid && lives(pid)) taken += bytes!
    else rmSync(path.join(directory, name), { force: true })
  }
  return taken
}

/** A session of the stand-in GPU: it is refused where the device has none, or no memory, left, and keeps to the device's pace. What is encoded, the processor encodes. */
export class StandInSession {
  /** When the device is through with all that it was given, by `performance.now`. */
  private until = 0
  private frames = 0
  private wrong: Frame | null = null
  private looked = Number.NEGATIVE_INFINITY
  private fault: StandInFault | null = null

  private constructor(
    private readonly device: Device,
    private readonly megapixelsPerSecond: number,
    private readonly directory: string,
    private readonly slot: string,
  ) {}

  /** @throws DeviceProblem when the device refuses */
  static open(
    device: Device,
    codec: HardwareCodec,
    size: { width: number; height: number },
    depth: 8 | 10,
    directory: string,
  ): StandInSession {
    const refuse = (what: string): never => {
      throw new DeviceProblem(`${device.name} ${what}.`, device.key)
    }
    const own = path.join(directory, device.key)
    mkdirSync(own, { recursive: true })
    const fault = standInFault(directory, device.key)
    if (fault === 'lost') refuse('does not answer')
    const wanted = sessionBytes(size, depth)
    const free = (fault === 'out of memory' ? 0 : (device.memoryBytes ?? Number.POSITIVE_INFINITY)) - takenBytes(own)
    if (wanted > free)
      refuse(`is out of memory: a session needs ${megabytes(wanted)}, and ${megabytes(Math.max(0, free))} are free`)
    for (let number = 0; number < device.sessions; number++) {
      const slot = path.join(own, `session-${number}`)
      try {
        writeFileSync(slot, `${process.pid} ${wanted}`, { flag: 'wx' })
        return new StandInSession(device, device.pace?.[codec] ?? Number.POSITIVE_INFINITY, directory, slot)
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
      }
    }
    return refuse(`has no encoder session free: ${device.sessions} of ${device.sessions} are taken`)
  }

  /** The frame as the device's encoder gets it, good until the next one is given. @throws DeviceProblem when the device is lost */
  take(frame: Frame): Frame {
    const now = performance.now()
    if (now - this.looked > lookMilliseconds) {
      this.looked = now
      this.fault = standInFault(this.directory, this.device.key)
    }
    if (this.fault === 'lost')
      throw new DeviceProblem(`${this.device.name} was lost while it encoded.`, this.device.key)
    const pace = this.megapixelsPerSecond / (this.fault === 'throttled' ? throttledTo : 1)
    // A device that waited for its frames does not make up for it.
    this.until = Math.max(now, this.until) + (frame.width * frame.height) / 1000 / pace
    this.frames++
    if (this.fault !== 'wrong output' || this.frames % wrongEvery !== 0) return frame
    this.wrong?.free()
    this.wrong = negative(frame)
    return this.wrong
  }

  /** Waits until the device would be through with what it was given. */
  async keepPace(): Promise<void> {
    const wait = this.until - performance.now()
    if (wait > 1) await new Promise(resolve => setTimeout(resolve, wait))
  }

  close(): void {
    this.wrong?.free()
    rmSync(this.slot, { force: true })
  }
}

/** The picture with dark for bright and bright for dark. */
function negative(frame: Frame): Frame {
  const other = frame.clone()
  ensure(other ? 0 : -1, 'A picture cannot be copied: memory ran out')
  const { planes, bitDepth } = readPlanes(other!, 1)
  const { data, width, height } = planes[0]!
  return rewritten(other!, [{ data: data.map(value => 2 ** bitDepth - 1 - value), width, height }])
}
