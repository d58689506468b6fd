import { open, readdir, stat } from 'node:fs/promises'
import path from 'node:path'
import {
  describeBytes,
  DiscProblem,
  isoFiles,
  isoVolumeName,
  isScrambled,
  mainTitle,
  packTicks,
  readDiscTables,
  sectorBytes,
  udfFiles,
  unitTimes,
  type Disc,
  type DiscTables,
  type DiscTitle,
  type ImageFile,
  type ReadBytes,
  type TitleCell,
} from '@hematine/core'
import type { TitleInput } from '../ground/media-input.ts'
import { readAt } from '../ground/read-at.ts'

const directoryName = 'VIDEO_TS'

/** Endings of files that may be a disc image. */
export const isImageName = (name: string) => /\.(iso|udf|img)$/i.test(name)

/** A run of bytes in a file of this machine. */
interface Extent {
  path: string
  at: number
  bytes: number
}

/** Sectors looked at for scrambling, spread over a title. */
const sectorsTried = 240

/** A disc folder or a disc image, opened: its tables are read, its pictures and sound are not. */
export class OpenDisc {
  private constructor(
    readonly name: string,
    private readonly files: Map<string, Extent[]>,
    private readonly tables: DiscTables,
  ) {}

  /**
   * @param target absolute path of a disc folder (VIDEO_TS itself, or what holds it) or of a disc image
   * @throws DiscProblem when it is no disc, or its tables are damaged
   */
  static async open(target: string): Promise<OpenDisc> {
    const isFolder = (await stat(target)).isDirectory()
    const { name, files } = isFolder
      ? { name: folderName(target), files: await folderFiles(target) }
      : await imageFiles(target)
    const manager = await bytesOf(files, 'VIDEO_TS')
    if (!manager) throw new DiscProblem(`This is no video disc: its ${directoryName} holds no VIDEO_TS.IFO.`)
    const sets = new Map<number, Uint8Array>()
    for (const file of files.keys()) {
      const number = /^VTS_(\d\d)_0\.(IFO|BUP)$/.exec(file)?.[1]
      const data = number ? await bytesOf(files, `VTS_${number}_0`) : null
      if (data) sets.set(Number(number), data)
    }
    return new OpenDisc(
      name,
      files,
      readDiscTables(manager, number => sets.get(number) ?? null),
    )
  }

  /** What the disc holds; titles whose sectors are not all there, or scrambled, say so. */
  async describe(): Promise<Disc> {
    const titles: DiscTitle[] = []
    for (const title of this.tables.titles) titles.push(await this.described(title))
    return { name: this.name, titles, main: mainTitle(titles) }
  }

  /** One title as `describe` has it. @throws DiscProblem when the disc has none of that number */
  async describeTitle(number: number): Promise<DiscTitle> {
    const title = this.tables.titles[number - 1]
    if (!title) throw new DiscProblem(`The disc has no title ${number}; it has ${this.tables.titles.length}.`)
    return this.described(title)
  }

  private async described(title: DiscTitle): Promise<DiscTitle> {
    return title.problem === null ? { ...title, problem: await this.problemOf(title.number) } : title
  }

  private async problemOf(title: number): Promise<string | null> {
    try {
      const pieces = this.extentsOf(title, this.tables.cellsOf(title, 1))
      return (await someScrambled(pieces.flat())) ? encrypted : null
    } catch (error) {
      if (error instanceof DiscProblem) return error.message
      throw error
    }
  }

  /**
   * A title as an input: its cells in playing order, with their times made to run on.
   * @throws DiscProblem when its tables are damaged, sectors are missing or its content is encrypted
   */
  async titleInput(number: number, angle = 1): Promise<TitleInput> {
    const title = this.tables.titles[number - 1]
    if (title?.problem) throw new DiscProblem(title.problem)
    const cells = this.tables.cellsOf(number, angle)
    const extents = this.extentsOf(number, cells)
    if (await someScrambled(extents.flat())) throw new DiscProblem(encrypted)
    const { aspect, width, height, audio, subtitles, palette, chapters } = title!
    const input: TitleInput = {
      kind: 'title',
      disc: this.name,
      title: number,
      angle,
      parts: extents.flat(),
      cells: [],
      seconds: 0,
      aspect,
      width,
      height,
      audio,
      subtitles,
      ...(palette ? { palette } : {}),
      chapters,
      unreadable: [],
    }
    let [at, shift] = [0, 0]
    let due: number | null = null
    for (const [index, cell] of cells.entries()) {
      const first = await this.unitAt(number, cell.pieces[0]!.firstSector)
      const last = await this.unitAt(number, cell.lastUnitSector)
      if (first && due !== null) shift = due - first.start
      const seconds = first && last && last.end > first.start ? (last.end - first.start) / packTicks : cell.seconds
      due = first ? first.start + shift + Math.round(seconds * packTicks) : null
      input.cells.push({ at, shift, seconds: input.seconds })
      input.seconds += seconds
      at += extents[index]!.reduce((sum, extent) => sum + extent.bytes, 0)
    }
    return input
  }

  private async unitAt(title: number, sector: number): Promise<{ start: number; end: number } | null> {
    const [extent] = this.locate(title, sector, sector)
    return extent ? unitTimes(await readAt(extent.path, extent.at, sectorBytes)) : null
  }

  /** Where the sectors of a title's cells lie, cell by cell. */
  private extentsOf(title: number, cells: readonly TitleCell[]): Extent[][] {
    return cells.map(cell => cell.pieces.flatMap(piece => this.locate(title, piece.firstSector, piece.lastSector)))
  }

  /** Sectors are counted through all VOB files of a title set, one after the other. */
  private locate(title: number, firstSector: number, lastSector: number): Extent[] {
    const set = String(this.tables.titleSets.get(title)).padStart(2, '0')
    const [from, to] = [firstSector * sectorBytes, (lastSector + 1) * sectorBytes]
    const found: Extent[] = []
    let begin = 0
    for (let number = 1; number <= 9; number++) {
      for (const extent of this.files.get(`VTS_${set}_${number}.VOB`) ?? []) {
        const [start, end] = [Math.max(from, begin), Math.min(to, begin + extent.bytes)]
        if (end > start) found.push({ path: extent.path, at: extent.at + start - begin, bytes: end - start })
        begin += extent.bytes
      }
    }
    const held = found.reduce((sum, extent) => sum + extent.bytes, 0)
    if (held < to - from) {
      throw new DiscProblem(
        `Title ${title} is not all there: it needs ${describeBytes(to)} of the files VTS_${set}_1.VOB and following, which hold ${describeBytes(begin)}. Read the disc again to its end.`,
      )
    }
    return found
  }
}

const encrypted =
  'The title is encrypted (its packs are scrambled). Hematine does not work around copy protection; ask for a disc or files without it.'

function folderName(target: string): string {
  return path.basename(path.basename(target).toUpperCase() === directoryName ? path.dirname(target) : target)
}

/** Files of a disc folder, by their names in capitals; some systems write them small. */
async function folderFiles(target: string): Promise<Map<string, Extent[]>> {
  const entries = await readdir(target)
  const inner =
    path.basename(target).toUpperCase() === directoryName
      ? target
      : path.join(target, entries.find(name => name.toUpperCase() === directoryName) ?? directoryName)
  const files = new Map<string, Extent[]>()
  const names = await readdir(inner).catch(() => {
    throw new DiscProblem(`This is no video disc: it holds no directory ${directoryName}.`)
  })
  for (const name of names) {
    const file = path.join(inner, name)
    files.set(name.toUpperCase(), [{ path: file, at: 0, bytes: (await stat(file)).size }])
  }
  return files
}

/** Files of a disc image, by UDF where it has it, otherwise by ISO 9660; what lies behind the end of the image is left out. */
async function imageFiles(target: string): Promise<{ name: string; files: Map<string, Extent[]> }> {
  const { size } = await stat(target)
  const read: ReadBytes = (at, length) => readAt(target, at, length)
  const found = await eitherOf(
    () => udfFiles(read, directoryName),
    () => isoFiles(read, directoryName),
  )
  if (!found)
    throw new DiscProblem(
      `This is no image of a video disc: it holds no ISO 9660 or UDF file system with a directory ${directoryName}.`,
    )
  const name = await isoVolumeName(read).catch(() => null)
  const held = (extent: ImageFile['extents'][number]) => ({
    path: target,
    at: extent.at,
    bytes: Math.max(0, Math.min(extent.bytes, size - extent.at)),
  })
  return { name: name ?? path.basename(target), files: new Map(found.map(file => [file.name, file.extents.map(held)])) }
}

/** The first of two file systems that can be read; what is wrong with the first is told when there is no second. */
async function eitherOf(
  first: () => Promise<ImageFile[] | null>,
  second: () => Promise<ImageFile[] | null>,
): Promise<ImageFile[] | null> {
  let problem: unknown = null
  for (const attempt of [first, second]) {
    try {
      const files = await attempt()
      if (files) return files
    } catch (error) {
      if (!(error instanceof DiscProblem)) throw error
      problem ??= error
    }
  }
  if (problem) throw problem
  return null
}

/** Tables longer than this are taken for damage; real ones have a few hundred kilobytes. */
const mostTableBytes = 16 << 20

/** Bytes of a table file; of its backup copy when the first does not begin as such files do. */
async function bytesOf(files: ReadonlyMap<string, Extent[]>, name: string): Promise<Uint8Array | null> {
  const versions: Uint8Array[] = []
  for (const ending of ['IFO', 'BUP']) {
    const extents = files.get(`${name}.${ending}`)
    if (!extents) continue
    const parts: Uint8Array[] = []
    for (const extent of extents) {
      if (extent.bytes > mostTableBytes)
        throw new DiscProblem(
          `${name}.${ending} is damaged: it claims ${describeBytes(extent.bytes)}. Read the disc again.`,
        )
      parts.push(await readAt(extent.path, extent.at, extent.bytes))
    }
    const version = Buffer.concat(parts)
    if (version.subarray(0, 8).toString('latin1') === 'DVDVIDEO') return version
    versions.push(version)
  }
  return versions[0] ?? null
}

/** Whether any of the sectors looked at, spread over all, is scrambled. */
async function someScrambled(extents: readonly Extent[]): Promise<boolean> {
  const sectors = extents.reduce((sum, extent) => sum + Math.floor(extent.bytes / sectorBytes), 0)
  const step = Math.max(1, Math.floor(sectors / sectorsTried))
  let next = 0
  let begin = 0
  for (const extent of extents) {
    const count = Math.floor(extent.bytes / sectorBytes)
    if (next >= begin + count) {
      begin += count
      continue
    }
    const handle = await open(extent.path, 'r')
    try {
      const sector = new Uint8Array(sectorBytes)
      for (; next < begin + count; next += step) {
        await handle.read(sector, 0, sectorBytes, extent.at + (next - begin) * sectorBytes)
        if (isScrambled(sector)) return true
      }
    } finally {
      await handle.close()
    }
    begin += count
  }
  return false
}

/** Whether a directory is a disc folder: VIDEO_TS itself, or one that holds it. */
export async function isDiscFolder(directory: string): Promise<boolean> {
  const inner =
    path.basename(directory).toUpperCase() === directoryName ? directory : path.join(directory, directoryName)
  return stat(path.join(inner, 'VIDEO_TS.IFO')).then(
    facts => facts.isFile(),
    () => false,
  )
}
