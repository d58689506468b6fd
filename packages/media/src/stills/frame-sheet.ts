import { createWriteStream } from 'node:fs'
import { rename, rm } from 'node:fs/promises'
import { finished } from 'node:stream/promises'
import type { RgbPicture } from './still.ts'
import { pictures } from '../ground/when-wanted.ts'

/**
 * Pictures of a moment in one file, for playing in a browser frame by frame: the length of a header (4 bytes, little-endian), the header
 * as JSON, then a JPEG of each frame. Pixel-exact pictures are made one by one where they are wanted.
 */
export interface SheetHeader {
  width: number
  height: number
  /** Where each JPEG lies behind the header, and the time of its frame in seconds from the moment's start. */
  frames: { at: number; bytes: number; seconds: number }[]
}

/** Quality at which the difference from the frame is hardly seen in motion; colour is kept at full resolution. */
const jpeg = { quality: 90, chromaSubsampling: '4:4:4' }

/** A picture as JPEG. */
export function toJpeg({ width, height, data }: RgbPicture): Promise<Buffer> {
  return pictures()(data, { raw: { width, height, channels: 3 } })
    .jpeg(jpeg)
    .toBuffer()
}

/** Gathers frames and writes them as a sheet under its name once it is whole. */
export class FrameSheet {
  private readonly pictures: Buffer[] = []
  private readonly header: SheetHeader = { width: 0, height: 0, frames: [] }
  private at = 0

  async add(frame: RgbPicture, seconds: number): Promise<void> {
    const picture = await toJpeg(frame)
    Object.assign(this.header, { width: frame.width, height: frame.height })
    this.header.frames.push({ at: this.at, bytes: picture.length, seconds: Number(seconds.toFixed(5)) })
    this.at += picture.length
    this.pictures.push(picture)
  }

  /** @returns bytes written */
  async write(file: string): Promise<number> {
    const text = Buffer.from(JSON.stringify(this.header))
    const length = Buffer.alloc(4)
    length.writeUInt32LE(text.length)
    const unfinished = `${file}.${process.pid}.part`
    try {
      const stream = createWriteStream(unfinished)
      for (const part of [length, text, ...this.pictures]) stream.write(part)
      await finished(stream.end())
      await rename(unfinished, file)
    } finally {
      await rm(unfinished, { force: true })
    }
    return 4 + text.length + this.at
  }
}
