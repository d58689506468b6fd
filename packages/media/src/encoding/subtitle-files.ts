import { mkdir, open, rm, writeFile, type FileHandle } from 'node:fs/promises'
import { clockTime, languageOf, textFileCue, textFileHead, type PlannedSubtitleFile } from '@hematine/core'
import { fileBeside, filesBeside } from '../volumes/result-files.ts'
import { flushToDisk } from '../volumes/volume-files.ts'
import { packsOf } from './subtitle-packs.ts'

/** Where what is shown of one subtitle track goes. Times are in thousandths of a second. */
export interface SubtitleSink {
  /** @param length how long it is shown; null where its own data says */
  write(data: Uint8Array, from: number, length: number | null): Promise<void>
  finish(): Promise<void>
  close(): Promise<void>
}

/** What pictures of text have to say of themselves in a file of their own. */
export interface PicturesHead {
  /** As the source's track has it; null for none. */
  head: Uint8Array | null
  frame: { width: number; height: number }
}

/**
 * Makes the file of a subtitle track anew. A track that says nothing leaves none.
 * @param outputPath of the result that it lies beside
 */
export async function openSubtitleFile(
  outputPath: string,
  track: PlannedSubtitleFile,
  pictures: PicturesHead,
): Promise<SubtitleSink> {
  await mkdir(filesBeside(outputPath), { recursive: true })
  const [first, second] = track.endings.map(ending => fileBeside(outputPath, `${track.added}.${ending}`))
  for (const file of [first!, ...(second ? [second] : [])]) await rm(file, { force: true })
  if (second) return new IndexedPictures(new GrowingFile(second), first!, track, pictures)
  const file = new GrowingFile(first!)
  return track.to === 'hdmv_pgs_subtitle' ? new DisplaySets(file) : new Texts(file, track.to as 'subrip' | 'webvtt')
}

/** A file that is there once something was written into it. */
class GrowingFile {
  private handle: FileHandle | null = null
  bytes = 0

  constructor(readonly path: string) {}

  async add(data: Uint8Array): Promise<void> {
    this.handle ??= await open(this.path, 'w')
    await this.handle.appendFile(data)
    this.bytes += data.length
  }

  async finish(): Promise<void> {
    await this.handle?.sync()
    await this.close()
  }

  async close(): Promise<void> {
    await this.handle?.close()
    this.handle = null
  }
}

/** SubRip and WebVTT. */
class Texts implements SubtitleSink {
  private count = 0

  constructor(
    private readonly file: GrowingFile,
    private readonly codec: 'subrip' | 'webvtt',
  ) {}

  async write(data: Uint8Array, from: number, length: number | null): Promise<void> {
    const head = this.count === 0 ? textFileHead(this.codec) : ''
    const shown = { from, to: from + (length ?? 0) }
    const cue = textFileCue(this.codec, ++this.count, shown, Buffer.from(data).toString())
    await this.file.add(Buffer.from(head + cue))
  }

  finish = () => this.file.finish()
  close = () => this.file.close()
}

/** Ticks of a transport clock in a thousandth of a second. */
const clockTicks = 90

/** Presentation graphics (Blu-ray) one after the other, each segment behind its times. */
class DisplaySets implements SubtitleSink {
  constructor(private readonly file: GrowingFile) {}

  async write(data: Uint8Array, from: number): Promise<void> {
    const source = Buffer.from(data)
    // A segment: one byte of kind, two of length, and so many of what it says.
    for (let at = 0; at + 3 <= source.length;) {
      const end = at + 3 + source.readUInt16BE(at + 1)
      const head = Buffer.alloc(10)
      head.write('PG')
      head.writeUInt32BE((from * clockTicks) % 2 ** 32, 2)
      await this.file.add(Buffer.concat([head, source.subarray(at, end)]))
      at = end
    }
  }

  finish = () => this.file.finish()
  close = () => this.file.close()
}

/** Pictures of a disc in packs as on the disc, and an index of text that tells when each is shown and where it lies. */
class IndexedPictures implements SubtitleSink {
  private readonly entries: string[] = []

  constructor(
    private readonly file: GrowingFile,
    private readonly indexPath: string,
    private readonly track: PlannedSubtitleFile,
    private readonly pictures: PicturesHead,
  ) {}

  async write(data: Uint8Array, from: number): Promise<void> {
    const place = this.file.bytes.toString(16).padStart(9, '0')
    this.entries.push(`timestamp: ${clockTime(from, ':')}, filepos: ${place}\n`)
    await this.file.add(packsOf(data, BigInt(from) * BigInt(clockTicks)))
  }

  async finish(): Promise<void> {
    await this.file.finish()
    if (this.entries.length === 0) return
    await writeFile(this.indexPath, [...this.head(), ...this.entries].join(''))
    await flushToDisk(this.indexPath)
  }

  /** The size of the pictures' frame, their sixteen colours where they are known, and the language. */
  private head(): string[] {
    const { head, frame } = this.pictures
    const lines = (head ? Buffer.from(head).toString() : '').split(/\r?\n/)
    const said = (name: string) => lines.find(line => line.startsWith(`${name}: `))
    // Its languages have two letters; others are in the file's name.
    const language = /^[a-z]{2}(?=-|$)/.exec(languageOf(this.track.language) ?? '')?.[0] ?? '--'
    return [
      '# VobSub index file, v7 (do not modify this line!)\n',
      `${said('size') ?? `size: ${frame.width}x${frame.height}`}\n`,
      ...(said('palette') ? [`${said('palette')}\n`] : []),
      `langidx: 0\n\nid: ${language}, index: 0\n`,
    ]
  }

  close = () => this.file.close()
}
