import type { Device, HardwareFamily, HardwareFormat } from '@hematine/core'
import { AV_PIX_FMT_NONE, type AVHWDeviceType } from 'node-av/constants'
import {
  avGetHardwareDeviceTypeFromName,
  avGetPixFmtFromName,
  Frame,
  HardwareDeviceContext,
  HardwareFramesContext,
  type CodecContext,
} from 'node-av/lib'
import { DeviceProblem } from '../ground/graphics-devices.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { ensure, MediaError } from '../ground/libav.ts'

/** Frames that a device's memory holds for its encoder. */
const framesInDevice = 24

/**
 * Hands frames to the encoder of a graphics device: their samples laid out as it wants them, which changes none of them, and put into its memory where it takes
 * them only there.
 */
export class HandOver {
  private graph: Graph | null = null
  private readonly laid = new Frame()
  private readonly uploaded = new Frame()

  private constructor(
    private readonly device: Device,
    private readonly format: HardwareFormat,
    private readonly layout: string,
    private readonly memory: { device: HardwareDeviceContext; frames: HardwareFramesContext } | null,
  ) {
    this.laid.alloc()
    this.uploaded.alloc()
  }

  /**
   * Prepares an encoder for the frames that it will be handed; its size must be set already.
   * @param format of the frames that are encoded
   * @throws DeviceProblem when the device does not give its memory
   */
  static prepare(context: CodecContext, device: Device, family: HardwareFamily, format: HardwareFormat): HandOver {
    const { laidOutAs, uploadsTo, name } = family
    const layout = laidOutAs[format]
    if (uploadsTo === null) {
      context.pixelFormat = avGetPixFmtFromName(layout)
      return new HandOver(device, format, layout, null)
    }
    const place = new HardwareDeviceContext()
    const frames = new HardwareFramesContext()
    const refuse = (what: string): never => {
      frames.free()
      place.free()
      throw new DeviceProblem(`${device.name} (${name}) ${what}.`, device.key)
    }
    const type: AVHWDeviceType = avGetHardwareDeviceTypeFromName(uploadsTo as never)
    if (place.create(type, device.place) < 0) refuse('cannot be opened')
    frames.alloc(place)
    frames.format = avGetPixFmtFromName(uploadsTo)
    frames.swFormat = avGetPixFmtFromName(layout)
    frames.width = context.width
    frames.height = context.height
    frames.initialPoolSize = framesInDevice
    if (frames.format === AV_PIX_FMT_NONE || frames.init() < 0) refuse(`gives no memory for pictures in ${layout}`)
    context.pixelFormat = avGetPixFmtFromName(uploadsTo)
    context.hwFramesCtx = frames
    return new HandOver(device, format, layout, { device: place, frames })
  }

  /** The frame as the encoder takes it, good until the next one is handed over. The one that is given stays as it is. */
  async take(frame: Frame): Promise<Frame> {
    const laid = this.layout === this.format ? frame : await this.layOut(frame)
    if (!this.memory) return laid
    this.uploaded.unref()
    const { frames } = this.memory
    if (frames.getBuffer(this.uploaded) < 0 || (await frames.transferData(this.uploaded, laid)) < 0)
      throw new DeviceProblem(`${this.device.name} took no picture into its memory.`, this.device.key)
    ensure(this.uploaded.copyProps(laid), 'A picture cannot be handed over')
    return this.uploaded
  }

  private async layOut(frame: Frame): Promise<Frame> {
    this.graph ??= await Graph.video(`format=${this.layout}`, [
      videoPadOf(frame, {
        timeBase: frame.timeBase.num > 0 ? frame.timeBase : { num: 1, den: 1000 },
        frameRate: { num: 25, den: 1 },
        pixelAspect: frame.sampleAspectRatio,
      }),
    ])
    this.laid.unref()
    await this.graph.push(frame)
    if ((await this.graph.pull(this.laid)) !== 'frame') throw new MediaError('A picture cannot be laid out anew.')
    // The graph has a clock of its own; the encoder counts by the frame's.
    this.laid.pts = frame.pts
    return this.laid
  }

  close(): void {
    this.graph?.free()
    this.laid.free()
    this.uploaded.free()
    this.memory?.frames.free()
    this.memory?.device.free()
  }
}
