import type { Rational } from '../rational.ts'
import { Bytes, DiscProblem, sectorBytes } from './bytes.ts'

// The tables of DVD-Video's IFO files. The format book is not public; offsets and meanings follow the descriptions that the field has published of it.

/** An entry of the manager's list of titles. */
export interface TitleEntry {
  number: number
  angles: number
  titleSet: number
  /** Number of the title within its title set. */
  titleInSet: number
}

export interface AudioStream {
  codec: 'ac3' | 'mp2' | 'pcm' | 'dts'
  channels: number
  /** ISO 639-1 code, or null when the disc does not say. */
  language: string | null
  /** What the track is for, where it is not the plain sound. */
  purpose: string | null
}

export interface SubpictureStream {
  language: string | null
}

export interface VideoAttributes {
  standard: 'NTSC' | 'PAL'
  aspect: '4:3' | '16:9'
  width: number
  height: number
}

export interface ProgramCell {
  vobId: number
  cellId: number
  seconds: number
  /** Sectors in the title's VOB files, both inclusive. */
  firstSector: number
  lastSector: number
  lastUnitSector: number
  /** 0 outside an angle block, otherwise the angle that the cell belongs to, from 1. */
  angle: number
  isInterleaved: boolean
}

export interface ProgramChain {
  seconds: number
  /** Number of the cell that each program begins with, from 0. */
  programs: number[]
  cells: ProgramCell[]
  /** Stream numbers of the tracks that the chain uses: track number to number of the stream in the VOB files. */
  audio: { track: number; stream: number }[]
  subpictures: { track: number; stream: number }[]
  /** The sixteen colours of its subtitles, as 0xRRGGBB. */
  palette: number[]
}

export interface TitleSet {
  video: VideoAttributes
  audio: AudioStream[]
  subpictures: SubpictureStream[]
  /** For each title of the set its chapters, as program of a chain (both from 1). */
  titles: { chain: number; program: number }[][]
  chains: ProgramChain[]
  /** Sectors of each cell's pieces; an interleaved cell has several. */
  addresses: { vobId: number; cellId: number; firstSector: number; lastSector: number }[]
}

/** @throws DiscProblem when it is not the manager's file, or is damaged */
export function parseManager(data: Uint8Array): TitleEntry[] {
  const file = new Bytes(data, 'VIDEO_TS.IFO')
  mustBe(file, 'DVDVIDEO-VMG')
  const table = tableAt(file, 0xc4)
  const count = table.u16(0)
  const titles: TitleEntry[] = []
  for (let index = 0; index < count; index++) {
    const at = 8 + index * 12
    titles.push({
      number: index + 1,
      angles: table.u8(at + 1),
      titleSet: table.u8(at + 6),
      titleInSet: table.u8(at + 7),
    })
  }
  return titles
}

/** @param number of the title set, for sentences. @throws DiscProblem when it is not a title set's file, or is damaged */
export function parseTitleSet(data: Uint8Array, number: number): TitleSet {
  const file = new Bytes(data, `VTS_${String(number).padStart(2, '0')}_0.IFO`)
  mustBe(file, 'DVDVIDEO-VTS')
  const audioCount = Math.min(8, file.u16(0x202))
  const subpictureCount = Math.min(32, file.u16(0x254))
  return {
    video: videoAttributes(file.u8(0x200), file.u8(0x201)),
    audio: Array.from({ length: audioCount }, (_, index) => audioStream(file, 0x204 + index * 8)),
    subpictures: Array.from({ length: subpictureCount }, (_, index) => ({
      language: languageAt(file, 0x256 + index * 6 + 2),
    })),
    titles: chapterTable(tableAt(file, 0xc8)),
    chains: chainTable(tableAt(file, 0xcc)),
    addresses: addressTable(tableAt(file, 0xe0)),
  }
}

function mustBe(file: Bytes, mark: string): void {
  if (file.length < 12) throw new DiscProblem(`${file.name} is empty or cut short. Read the disc again.`)
  if (file.text(0, 12) !== mark)
    throw new DiscProblem(
      `${file.name} is not what its name says: it does not begin with ${mark}. Read the disc again.`,
    )
}

/** The table whose sector stands at a place of the file's head. */
function tableAt(file: Bytes, at: number): Bytes {
  const sector = file.u32(at)
  if (sector === 0)
    throw new DiscProblem(`${file.name} is damaged: it lacks a table that every disc has. Read the disc again.`)
  return file.from(sector * sectorBytes)
}

function videoAttributes(first: number, second: number): VideoAttributes {
  const standard = ((first >> 4) & 3) === 0 ? 'NTSC' : 'PAL'
  const size = (second >> 2) & 3
  const full = standard === 'NTSC' ? 480 : 576
  return {
    standard,
    aspect: ((first >> 2) & 3) === 3 ? '16:9' : '4:3',
    width: [720, 704, 352, 352][size]!,
    height: size === 3 ? full / 2 : full,
  }
}

const purposes: Record<number, string> = { 2: 'for the visually impaired', 3: 'commentary', 4: 'second commentary' }

function audioStream(file: Bytes, at: number): AudioStream {
  const [first, second] = [file.u8(at), file.u8(at + 1)]
  return {
    codec: ({ 0: 'ac3', 2: 'mp2', 3: 'mp2', 4: 'pcm', 6: 'dts' } as const)[first >> 5] ?? 'ac3',
    channels: (second & 7) + 1,
    language: ((first >> 2) & 3) === 1 ? languageAt(file, at + 2) : null,
    purpose: purposes[file.u8(at + 5)] ?? null,
  }
}

function languageAt(file: Bytes, at: number): string | null {
  const code = file.text(at, 2).toLowerCase()
  return /^[a-z]{2}$/.test(code) && code !== 'xx' ? code : null
}

/** Chapters of each title of a set; a title's list ends where the next begins. */
function chapterTable(table: Bytes): { chain: number; program: number }[][] {
  const count = table.u16(0)
  const end = table.u32(4) + 1
  const starts = Array.from({ length: count }, (_, index) => table.u32(8 + index * 4))
  return starts.map((start, index) => {
    const chapters: { chain: number; program: number }[] = []
    for (let at = start; at + 4 <= (starts[index + 1] ?? end); at += 4)
      chapters.push({ chain: table.u16(at), program: table.u16(at + 2) })
    return chapters
  })
}

function chainTable(table: Bytes): ProgramChain[] {
  return Array.from({ length: table.u16(0) }, (_, index) => programChain(table.from(table.u32(8 + index * 8 + 4))))
}

function programChain(table: Bytes): ProgramChain {
  const [programCount, cellCount] = [table.u8(2), table.u8(3)]
  const [programMap, playback, position] = [table.u16(0xe6), table.u16(0xe8), table.u16(0xea)]
  const cells: ProgramCell[] = []
  let angle = 0
  for (let index = 0; index < cellCount; index++) {
    const at = playback + index * 24
    const category = table.u8(at)
    // Bits 7-6: first, middle or last cell of a block; bits 5-4: 1 for a block of angles.
    angle = ((category >> 4) & 3) !== 1 ? 0 : category >> 6 === 1 ? 1 : angle + 1
    cells.push({
      vobId: table.u16(position + index * 4),
      cellId: table.u8(position + index * 4 + 3),
      seconds: secondsOf(table, at + 4),
      firstSector: table.u32(at + 8),
      lastUnitSector: table.u32(at + 16),
      lastSector: table.u32(at + 20),
      angle,
      isInterleaved: (category & 4) !== 0,
    })
  }
  const audio = Array.from({ length: 8 }, (_, track) => ({ track, control: table.u8(0x0c + track * 2) }))
    .filter(({ control }) => control & 0x80)
    .map(({ track, control }) => ({ track, stream: control & 7 }))
  // Four stream numbers a track, by shape of the screen; the second is the one for a wide picture, which a 4:3 one leaves at nought.
  const subpictures = Array.from({ length: 32 }, (_, track) => ({ track, at: 0x1c + track * 4 }))
    .filter(({ at }) => table.u8(at) & 0x80)
    .map(({ track, at }) => ({ track, stream: table.u8(at + 1) & 31 || table.u8(at) & 31 }))
  return {
    seconds: secondsOf(table, 4),
    programs: Array.from({ length: programCount }, (_, index) => table.u8(programMap + index) - 1),
    cells,
    audio,
    subpictures,
    palette: Array.from({ length: 16 }, (_, index) => colourAt(table, 0xa4 + index * 4)),
  }
}

/** A colour of a chain's palette: luma and both colour differences (Cr, then Cb), as ITU-R BT.601 has them in 8 bits. @returns 0xRRGGBB */
function colourAt(table: Bytes, at: number): number {
  const luma = (table.u8(at + 1) - 16) / 219
  const [red, blue] = [(table.u8(at + 2) - 128) / 224, (table.u8(at + 3) - 128) / 224]
  const code = (value: number) => Math.round(255 * Math.min(1, Math.max(0, value)))
  return (
    code(luma + 1.402 * red) * 0x10000 +
    code(luma - 0.714136 * red - 0.344136 * blue) * 0x100 +
    code(luma + 1.772 * blue)
  )
}

function addressTable(table: Bytes): TitleSet['addresses'] {
  const addresses: TitleSet['addresses'] = []
  for (let at = 8; at + 12 <= table.u32(4) + 1; at += 12)
    addresses.push({
      vobId: table.u16(at),
      cellId: table.u8(at + 2),
      firstSector: table.u32(at + 4),
      lastSector: table.u32(at + 8),
    })
  return addresses
}

const frameRates: Record<number, Rational> = { 1: { num: 25, den: 1 }, 3: { num: 30_000, den: 1001 } }

/** Hours, minutes, seconds and frames in binary coded decimal. At 30000/1001 the count runs on as if there were 30 frames a second. */
function secondsOf(table: Bytes, at: number): number {
  const decimal = (byte: number) => (byte >> 4) * 10 + (byte & 15)
  const last = table.u8(at + 3)
  const whole = decimal(table.u8(at)) * 3600 + decimal(table.u8(at + 1)) * 60 + decimal(table.u8(at + 2))
  const rate = frameRates[last >> 6]
  if (!rate) return whole
  const counted = Math.round(rate.num / rate.den)
  return ((whole * counted + decimal(last & 0x3f)) * rate.den) / rate.num
}
