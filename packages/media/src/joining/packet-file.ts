import { open, rename, rm, type FileHandle } from 'node:fs/promises'
import type { Container } from '@hematine/core'
import {
  AV_PKT_DATA_NEW_EXTRADATA,
  AV_PKT_DATA_SKIP_SAMPLES,
  type AVPacketFlag,
  type AVPacketSideDataType,
} from 'node-av/constants'
import { type Packet } from 'node-av/lib'
import { MediaError } from '../ground/libav.ts'
import { leavesOut, type PacketSink } from '../encoding/output.ts'

/**
 * Packets of one stream in a working file, in the order of decoding, as their encoder gave them. Containers round times and move headers about; what is joined
 * later must be what was encoded. Each record is two lengths (of its head and its data, 32 bits each, the lower byte first), the head as JSON, and the data. The
 * last one has no data, and what was found of the packets in its head; where it begins is told in the last eight bytes. A file without it is not finished.
 */

const lengths = 8
const places = 8
/** Changes with how packets lie in a file and what is said at its end: one that another version of Hematine left is made again. */
const form = 3

/** A working file that is not whole: what lies in it is to be made again. */
export class WorkingFileProblem extends MediaError {}

/** Times are integers as text, which JSON keeps whole. */
interface PacketHead {
  pts: string
  dts: string
  duration: string
  flags: number
  /** Bytes at the end of the data that are said beside the packet, by kind. */
  beside: [kind: number, bytes: number][]
}

/** Head of the last record. */
interface Ending {
  form: number
  found: unknown
}

/** What encoders say beside a packet that writers pass on: a new head for a decoder, and sound that is not to be heard. */
const besideKinds = [AV_PKT_DATA_NEW_EXTRADATA, AV_PKT_DATA_SKIP_SAMPLES]

/** Writes packets into a working file, which gets its name when it is finished. */
export class PacketFileWriter implements PacketSink {
  bytesWritten = 0
  watch: PacketSink['watch'] = null
  private file: FileHandle | null = null
  private streams = 0

  /** @param path of the finished file; an older one of the name is replaced @param container that its packets will go into */
  constructor(
    private readonly path: string,
    private readonly container: Container,
  ) {}

  private get unfinished(): string {
    // An earlier process may still be about to end.
    return `${this.path}.unfinished-${process.pid}`
  }

  addStream(): number {
    return this.streams++
  }

  async begin(): Promise<void> {
    this.file = await open(this.unfinished, 'w')
  }

  async write(packet: Packet, index: number): Promise<void> {
    if (leavesOut(this.container, packet)) return
    await this.watch?.(packet, index)
    const beside = besideKinds.flatMap(kind => {
      const said = packet.getSideData(kind)
      return said ? [{ kind, said }] : []
    })
    const { data, pts, dts, duration, flags } = packet
    const head: PacketHead = {
      pts: String(pts),
      dts: String(dts),
      duration: String(duration),
      flags,
      beside: beside.map(({ kind, said }) => [kind, said.length]),
    }
    await this.record(head, [...(data ? [data] : []), ...beside.map(({ said }) => said)])
  }

  private async record(head: unknown, data: readonly Buffer[]): Promise<void> {
    const text = Buffer.from(JSON.stringify(head))
    const sizes = Buffer.alloc(lengths)
    sizes.writeUInt32LE(text.length, 0)
    sizes.writeUInt32LE(
      data.reduce((sum, part) => sum + part.length, 0),
      4,
    )
    await this.put([sizes, text, ...data])
  }

  private async put(parts: readonly Buffer[]): Promise<void> {
    const { bytesWritten } = await this.file!.writev(parts)
    this.bytesWritten += bytesWritten
    // A disk that has room for a part of it takes that part.
    if (bytesWritten < parts.reduce((sum, part) => sum + part.length, 0))
      throw new WorkingFileProblem(
        `A working file could not be written whole: ${this.path}. See that its disk has room, then try the job again.`,
      )
  }

  async finish(): Promise<void> {}

  /** Ends the file with what was found of its packets, and gives it its name once it is on the disk. */
  async conclude(found: unknown): Promise<void> {
    const place = Buffer.alloc(places)
    place.writeBigUInt64LE(BigInt(this.bytesWritten))
    await this.record({ form, found }, [])
    await this.put([place])
    await this.file!.sync()
    await this.file!.close()
    this.file = null
    await rename(this.unfinished, this.path)
  }

  /** Ends it; what is not finished goes. */
  async close(): Promise<void> {
    if (!this.file) return
    await this.file.close()
    this.file = null
    await rm(this.unfinished, { force: true })
  }
}

/** Reads a working file of packets from its start. */
export class PacketFileReader {
  private at = 0

  private constructor(
    private readonly file: FileHandle,
    private readonly path: string,
    private readonly size: number,
  ) {}

  /** @throws WorkingFileProblem when there is none */
  static async open(path: string): Promise<PacketFileReader> {
    const file = await open(path, 'r').catch((error: NodeJS.ErrnoException) => {
      throw error.code === 'ENOENT'
        ? new WorkingFileProblem(`A working file is gone: ${path}. Try the job again.`)
        : error
    })
    return new PacketFileReader(file, path, (await file.stat()).size)
  }

  private async read(bytes: number): Promise<Buffer> {
    if (this.at + bytes > this.size)
      throw new WorkingFileProblem(`A working file ends too early: ${this.path}. Try the job again.`)
    const data = Buffer.alloc(bytes)
    let filled = 0
    while (filled < bytes) {
      const { bytesRead } = await this.file.read(data, filled, bytes - filled, this.at + filled)
      if (bytesRead === 0)
        throw new WorkingFileProblem(`A working file ends too early: ${this.path}. Try the job again.`)
      filled += bytesRead
    }
    this.at += bytes
    return data
  }

  private async head(): Promise<{ head: PacketHead | Ending; size: number }> {
    const sizes = await this.read(lengths)
    const text = await this.read(sizes.readUInt32LE(0))
    try {
      return { head: JSON.parse(text.toString()) as PacketHead | Ending, size: sizes.readUInt32LE(4) }
    } catch {
      throw new WorkingFileProblem(`A working file is damaged: ${this.path}. Try the job again.`)
    }
  }

  /** Fills an empty packet with the next one. @returns false at the end @throws WorkingFileProblem for a file that is not whole */
  async next(packet: Packet): Promise<boolean> {
    const { head, size } = await this.head()
    if ('found' in head) return false
    const data = await this.read(size)
    let at = size - head.beside.reduce((sum, [, bytes]) => sum + bytes, 0)
    packet.data = data.subarray(0, at)
    packet.pts = BigInt(head.pts)
    packet.dts = BigInt(head.dts)
    packet.duration = BigInt(head.duration)
    packet.flags = head.flags as AVPacketFlag
    for (const [kind, bytes] of head.beside) {
      packet.addSideData(kind as AVPacketSideDataType, data.subarray(at, at + bytes))
      at += bytes
    }
    return true
  }

  /** What was found of the packets, passing them over: the next one is the first again. @throws WorkingFileProblem for a file that is not whole, or of another version */
  async found(): Promise<unknown> {
    this.at = Math.max(0, this.size - places)
    this.at = Number((await this.read(places)).readBigUInt64LE())
    const { head } = await this.head()
    const isLast = 'found' in head && this.at === this.size - places
    this.at = 0
    if (!isLast) throw new WorkingFileProblem(`A working file is damaged: ${this.path}. Try the job again.`)
    if (head.form !== form)
      throw new WorkingFileProblem(`A working file is of another version of Hematine: ${this.path}. Try the job again.`)
    return head.found
  }

  /** Goes through all records. @throws WorkingFileProblem where they do not lead from one to the next up to the end */
  async walk(): Promise<void> {
    this.at = 0
    for (;;) {
      const { head, size } = await this.head()
      if ('found' in head) break
      this.at += size
    }
    this.at = 0
  }

  async close(): Promise<void> {
    await this.file.close()
  }
}
