import { open, type FileHandle } from 'node:fs/promises'
import { sectorBytes, shiftTimes } from '@hematine/core'
import { AVERROR_EIO, AVERROR_EOF, AVSEEK_CUR, AVSEEK_END, AVSEEK_SIZE } from 'node-av/constants'
import { IOContext } from 'node-av/lib'
import type { TitleInput } from '../ground/media-input.ts'

/** Bytes asked for at a time. */
const bufferBytes = 128 * sectorBytes

/**
 * Reads a disc title as one program stream: the sectors of its cells one after the other, with times that run on where
 * the disc begins to count anew. Nothing is copied; files stay open until `close`.
 */
export class TitleReader {
  readonly io = new IOContext()
  private readonly files = new Map<string, FileHandle>()
  /** Byte of the stream at which each part begins. */
  private readonly begins: number[] = []
  private readonly bytes: number
  private position = 0

  constructor(private readonly input: TitleInput) {
    let at = 0
    for (const part of input.parts) {
      this.begins.push(at)
      at += part.bytes
    }
    this.bytes = at
    this.io.allocContextWithCallbacks(
      bufferBytes,
      0,
      size => this.next(size),
      null,
      (offset, whence) => this.seek(Number(offset), whence),
    )
  }

  private async next(size: number): Promise<Buffer | number> {
    if (this.position >= this.bytes) return AVERROR_EOF
    try {
      const piece = await this.read(this.position, Math.min(size, this.bytes - this.position))
      if (piece.length === 0) return AVERROR_EOF
      this.position += piece.length
      return piece
    } catch {
      return AVERROR_EIO
    }
  }

  private seek(offset: number, whence: number): bigint | number {
    if (whence === AVSEEK_SIZE) return BigInt(this.bytes)
    this.position =
      whence === AVSEEK_CUR ? this.position + offset : whence === AVSEEK_END ? this.bytes + offset : offset
    return BigInt(this.position)
  }

  /** Bytes of the stream from a place on, up to so many, within one part. */
  private async read(at: number, size: number): Promise<Buffer> {
    const index = lastNotAfter(this.begins, at)
    const part = this.input.parts[index]!
    const inPart = at - this.begins[index]!
    // Whole sectors, since times are moved sector by sector.
    const first = Math.floor(inPart / sectorBytes) * sectorBytes
    const last = Math.min(part.bytes, Math.ceil((inPart + size) / sectorBytes) * sectorBytes)
    const buffer = Buffer.alloc(last - first)
    const { bytesRead } = await (await this.file(part.path)).read(buffer, 0, buffer.length, part.at + first)
    const shift = this.shiftAt(at)
    if (shift !== 0)
      for (let sector = 0; sector < bytesRead; sector += sectorBytes)
        shiftTimes(buffer.subarray(sector, Math.min(sector + sectorBytes, bytesRead)), shift)
    return buffer.subarray(inPart - first, Math.min(inPart - first + size, bytesRead))
  }

  /** A part lies within one cell, so one shift holds for all of it. */
  private shiftAt(at: number): number {
    return this.input.cells.findLast(cell => cell.at <= at)?.shift ?? 0
  }

  private async file(path: string): Promise<FileHandle> {
    const known = this.files.get(path)
    if (known) return known
    const opened = await open(path, 'r')
    this.files.set(path, opened)
    return opened
  }

  async close(): Promise<void> {
    this.io.freeContext()
    for (const file of this.files.values()) await file.close()
    this.files.clear()
  }
}

/** Index of the last of ascending numbers that is not above a value. */
function lastNotAfter(ascending: readonly number[], value: number): number {
  let [low, high] = [0, ascending.length]
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if (ascending[middle]! <= value) low = middle
    else high = middle
  }
  return low
}

/**
 * Stretches of a title whose bytes could not be read from the disc, by their place in its cells; neighbours closer than a second are one.
 * @returns seconds from the title's beginning, ascending
 */
export function unreadableStretches({
  parts,
  cells,
  seconds,
  unreadable,
}: TitleInput): { from: number; to: number; sectors: number }[] {
  const bytes = parts.reduce((sum, part) => sum + part.bytes, 0)
  const timeAt = (at: number) => {
    const index = lastNotAfter(
      cells.map(cell => cell.at),
      at,
    )
    const [cell, next] = [cells[index]!, cells[index + 1] ?? { at: bytes, seconds }]
    return cell.seconds + ((at - cell.at) / (next.at - cell.at)) * (next.seconds - cell.seconds)
  }
  const stretches: { from: number; to: number; sectors: number }[] = []
  let begin = 0
  for (const part of parts) {
    for (const run of unreadable.filter(run => run.path === part.path)) {
      const [first, last] = [Math.max(run.at, part.at), Math.min(run.at + run.bytes, part.at + part.bytes)]
      if (last <= first) continue
      const [from, to] = [timeAt(begin + first - part.at), timeAt(begin + last - part.at)]
      const sectors = Math.ceil((last - first) / sectorBytes)
      const open = stretches.at(-1)
      if (open && from - open.to < 1) Object.assign(open, { to, sectors: open.sectors + sectors })
      else stretches.push({ from, to, sectors })
    }
    begin += part.bytes
  }
  return stretches
}
