import { mkdir, readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { packTicks, sectorBytes } from '@hematine/core'
import { writeClip, type ClipTrack } from '../write-clip.ts'
import { isoImage } from './image.ts'
import { managerTable, titleSetTable, type CellPlan, type TitleSetPlan } from './tables.ts'

/** A cell before it is encoded. */
export interface CellClip {
  /** Filters that draw its picture, which ends after `frames`. */
  video: string
  frames: number
  audio: string[]
}

export interface TitleSetClip extends Pick<TitleSetPlan, 'standard' | 'aspect'> {
  interlaced: boolean
  languages: string[]
  /** As they lie on the disc. */
  cells: CellClip[]
  /** Titles as cells in playing order, each a chapter. */
  titles: number[][]
}

/** Draws a disc folder. Each cell counts its time from the beginning, as a disc does where it was joined from several. */
export async function writeDiscFolder(directory: string, clips: readonly TitleSetClip[]): Promise<void> {
  const inner = path.join(directory, 'VIDEO_TS')
  await mkdir(inner, { recursive: true })
  const sets: TitleSetPlan[] = []
  for (const [index, clip] of clips.entries()) {
    const name = `VTS_${String(index + 1).padStart(2, '0')}`
    const drawn: { data: Buffer; units: number[]; plan: CellPlan }[] = []
    let sector = 0
    for (const [at, cell] of clip.cells.entries()) {
      const { data, units } = await drawCell(path.join(inner, 'cell.vob'), clip, cell)
      const count = data.length / sectorBytes
      drawn.push({
        data,
        units: units.map(unit => unit + sector),
        plan: {
          vobId: at + 1,
          cellId: 1,
          frames: cell.frames,
          firstSector: sector,
          lastUnitSector: sector + units.at(-1)!,
          lastSector: sector + count - 1,
        },
      })
      sector += count
    }
    const set: TitleSetPlan = {
      standard: clip.standard,
      aspect: clip.aspect,
      audio: clip.languages.map(language => ({ codec: 'ac3', channels: 2, language })),
      subtitles: [],
      titles: clip.titles.map(cells => ({
        cells: cells.map(cell => drawn[cell]!.plan),
        chapters: cells.map((_, chapter) => chapter),
      })),
      addresses: drawn.map(({ plan: { vobId, cellId, firstSector, lastSector } }) => ({
        vobId,
        cellId,
        firstSector,
        lastSector,
      })),
      units: drawn.flatMap(({ units }) => units),
    }
    sets.push(set)
    // In two files, so that a cell can lie across both, as on a disc with more than a gigabyte.
    const all = Buffer.concat(drawn.map(({ data }) => data))
    const half = Math.floor(all.length / 2 / sectorBytes) * sectorBytes
    await writeFile(path.join(inner, `${name}_1.VOB`), all.subarray(0, half))
    await writeFile(path.join(inner, `${name}_2.VOB`), all.subarray(half))
    for (const ending of ['IFO', 'BUP']) await writeFile(path.join(inner, `${name}_0.${ending}`), titleSetTable(set))
  }
  for (const ending of ['IFO', 'BUP']) await writeFile(path.join(inner, `VIDEO_TS.${ending}`), managerTable(sets))
}

/** Puts a disc folder into an image. @param label name of the disc, in capitals */
export async function writeDiscImage(file: string, folder: string, label: string): Promise<void> {
  await isoImage(file, path.join(folder, 'VIDEO_TS'), label)
}

async function drawCell(file: string, clip: TitleSetClip, cell: CellClip): Promise<{ data: Buffer; units: number[] }> {
  const audio: ClipTrack[] = cell.audio.map(filters => ({ encoder: 'ac3', bitRate: 192_000, filters }))
  await writeClip({
    path: file,
    format: 'dvd',
    formatOptions: { muxrate: '10080000', packetsize: String(sectorBytes) },
    video: {
      encoder: 'mpeg2video',
      bitRate: 4_500_000,
      interlaced: clip.interlaced,
      keyframeDistance: 12,
      options: { maxrate: '8000000', bufsize: '1835008' },
      filters: cell.video,
    },
    audio,
  })
  const data = await readFile(file)
  await rm(file)
  return { data, units: timeUnits(data, clip.standard === 'PAL' ? packTicks / 25 : (packTicks * 1001) / 30_000) }
}

/** Writes into each navigation pack when its unit begins and ends, which the library's writer leaves at nought. @returns their sectors */
function timeUnits(data: Buffer, frameTicks: number): number[] {
  const units: { sector: number; first: number; last: number }[] = []
  for (let sector = 0; sector * sectorBytes < data.length; sector++) {
    const pack = data.subarray(sector * sectorBytes, (sector + 1) * sectorBytes)
    if (pack.readUInt32BE(0x26) === 0x1bf && pack[0x2c] === 0) units.push({ sector, first: Infinity, last: 0 })
    const time = videoTime(pack)
    const unit = units.at(-1)
    if (time !== null && unit) {
      unit.first = Math.min(unit.first, time)
      unit.last = Math.max(unit.last, time)
    }
  }
  units.forEach((unit, index) => {
    const at = unit.sector * sectorBytes
    data.writeUInt32BE(unit.sector, at + 0x2d)
    data.writeUInt32BE(unit.first, at + 0x39)
    data.writeUInt32BE(units[index + 1]?.first ?? Math.round(unit.last + frameTicks), at + 0x3d)
  })
  return units.map(unit => unit.sector)
}

/** Presentation time of the picture that begins in a pack. */
function videoTime(pack: Buffer): number | null {
  for (let at = 14 + (pack[13]! & 7); at + 14 < pack.length; at += 6 + pack.readUInt16BE(at + 4)) {
    if (pack.readUIntBE(at, 3) !== 1) return null
    if (pack[at + 3] === 0xe0 && pack[at + 7]! & 0x80)
      return (
        ((pack[at + 9]! >> 1) & 7) * 2 ** 30 +
        (pack.readUInt16BE(at + 10) >> 1) * 2 ** 15 +
        (pack.readUInt16BE(at + 12) >> 1)
      )
  }
  return null
}
