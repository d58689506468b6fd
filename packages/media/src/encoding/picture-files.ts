import { createHash } from 'node:crypto'
import { mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  checksumsFile,
  outputKind,
  pictureCodec,
  pictureName,
  soundBesideName,
  usualNumbering,
  type PictureSpec,
  type PictureTreatment,
} from '@hematine/core'
import { Packet } from 'node-av/lib'
import { MediaError } from '../ground/libav.ts'
import { checksumList } from '../volumes/result-files.ts'
import { sha256OfFile } from '../volumes/volume-files.ts'
import type { Encoder } from './encoder.ts'
import type { PictureRemarks } from './picture-remarks.ts'
import { OutputFile, type FileRemarks, type PacketSink, type PacketWatch } from './output.ts'

/** What pictures in files of their own are made of. */
export interface PictureFilesPlan {
  spec: PictureSpec
  /** A file for a still, a folder for a sequence. */
  outputPath: string
  /** What the files of a sequence are called after. */
  itemName: string
  result: Pick<PictureTreatment['result'], 'colour' | 'frame'>
  /** What the source's own picture says that is to stay. */
  remarks?: PictureRemarks | null
  /** What a moving picture says beside its tracks. */
  beside?: FileRemarks
}

/** One picture as a file: each packet of the encoder is one, whole. */
abstract class Pictures {
  bytesWritten = 0
  watch: PacketWatch | null = null
  protected constructor(protected readonly plan: PictureFilesPlan) {}

  protected async writePicture(packet: Packet, target: string): Promise<Buffer> {
    const { spec, remarks, result } = this.plan
    const { finish, wrap } = pictureCodec(spec.video.codec)
    const encoded = Buffer.from(packet.data!)
    const { colour, frame } = result
    const about = { dotsPerInch: spec.dotsPerInch ?? null, exif: null, profile: null, ...remarks, colour, frame }
    const put = wrap ?? finish
    const bytes = put ? Buffer.from(put(encoded, about)) : encoded
    // A file that holds a stream is read back as one.
    if (wrap) await this.watch?.(packet, 0)
    else await this.show(packet, bytes)
    await writeFile(target, bytes, { flag: 'wx' })
    this.bytesWritten += bytes.length
    return bytes
  }

  /** Shows whoever watches what a file will hold, at its packet's time. */
  private async show(packet: Packet, bytes: Buffer): Promise<void> {
    if (!this.watch) return
    const whole = new Packet()
    whole.alloc()
    try {
      whole.data = bytes
      whole.pts = packet.pts
      whole.dts = packet.dts
      whole.duration = packet.duration
      whole.flags = packet.flags
      await this.watch(whole, 0)
    } finally {
      whole.free()
    }
  }
}

/** A still: the first picture is the file, and there is no second. */
export class StillFile extends Pictures implements PacketSink {
  private isWritten = false

  constructor(plan: PictureFilesPlan) {
    super(plan)
  }

  addStream(): number {
    return 0
  }

  async begin(): Promise<void> {}

  async write(packet: Packet): Promise<void> {
    if (this.isWritten)
      throw new MediaError('The source gave more than one picture, and a still has one. Choose a spec for a sequence.')
    this.isWritten = true
    await this.writePicture(packet, this.plan.outputPath)
  }

  async finish(): Promise<void> {}

  async close(): Promise<void> {}
}

/**
 * A folder of numbered pictures, with a WAV for each sound track beside them and a list of checksums as `sha256sum` reads it. The list is made of what was
 * written, not of what is read back.
 */
export class PictureFolder extends Pictures implements PacketSink {
  private pictures = 0
  private streams = 0
  private readonly sounds: { name: string; output: OutputFile; encoder: Encoder }[] = []
  private readonly checksums = new Map<string, string>()

  constructor(plan: PictureFilesPlan) {
    super(plan)
  }

  addStream(encoder: Encoder): number {
    const index = this.streams++
    if (index > 0) {
      const name = soundBesideName(this.plan.itemName, index - 1)
      const output = OutputFile.create(path.join(this.plan.outputPath, name), 'wav')
      output.addStream(encoder)
      this.sounds.push({ name, output, encoder })
    }
    return index
  }

  async begin(): Promise<void> {
    await mkdir(this.plan.outputPath)
    for (const { output } of this.sounds) await output.begin()
  }

  async write(packet: Packet, index: number): Promise<void> {
    const { spec, outputPath, itemName } = this.plan
    if (index > 0) {
      const { output } = this.sounds[index - 1]!
      output.watch = this.watch && (of => this.watch!(of, index))
      return output.write(packet, 0)
    }
    const name = pictureName(itemName, spec, spec.numbering ?? usualNumbering, this.pictures++)
    const bytes = await this.writePicture(packet, path.join(outputPath, name))
    this.checksums.set(name, createHash('sha256').update(bytes).digest('hex'))
  }

  async finish(): Promise<void> {
    for (const { name, output } of this.sounds) {
      await output.finish()
      this.checksums.set(name, await sha256OfFile(path.join(this.plan.outputPath, name)))
    }
    const list = checksumList(this.checksums)
    await writeFile(path.join(this.plan.outputPath, checksumsFile), list, { flag: 'wx' })
  }

  async close(): Promise<void> {
    for (const { output } of this.sounds) await output.close()
  }
}

/** Where a picture's packets, and those of its sound, become files. */
export function createOutput(plan: PictureFilesPlan): PacketSink {
  switch (outputKind(plan.spec)) {
    case 'still':
      return new StillFile(plan)
    case 'image sequence':
      return new PictureFolder(plan)
    default:
      return OutputFile.create(plan.outputPath, plan.spec.container, plan.beside)
  }
}
