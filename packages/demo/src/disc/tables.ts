import { sectorBytes } from '@hematine/core'

export interface CellPlan {
  vobId: number
  cellId: number
  /** Length in frames. */
  frames: number
  firstSector: number
  lastUnitSector: number
  lastSector: number
  /** Which angle of a block of how many it is. */
  angle?: { number: number; of: number; isInterleaved: boolean }
}

export interface TitlePlan {
  cells: CellPlan[]
  /** Cell that each chapter begins with, from 0. */
  chapters: number[]
  angles?: number
}

export interface TitleSetPlan {
  standard: 'PAL' | 'NTSC'
  aspect: '4:3' | '16:9'
  audio: { codec: 'ac3' | 'mp2' | 'pcm' | 'dts'; channels: number; language: string }[]
  subtitles: { language: string }[]
  titles: TitlePlan[]
  /** Pieces of each cell; an interleaved one has several. */
  addresses: { vobId: number; cellId: number; firstSector: number; lastSector: number }[]
  /** First sectors of the video object units. */
  units: number[]
}

const audioCodes = { ac3: 0, mp2: 2, pcm: 4, dts: 6 } as const

function join(...parts: Uint8Array[]): Buffer {
  return Buffer.concat(
    parts.map(part => Buffer.concat([part, Buffer.alloc((sectorBytes - (part.length % sectorBytes)) % sectorBytes)])),
  )
}

/** VIDEO_TS.IFO: which titles there are, and in which title set. */
export function managerTable(sets: readonly TitleSetPlan[]): Buffer {
  const head = Buffer.alloc(sectorBytes)
  head.write('DVDVIDEO-VMG', 0, 'latin1')
  head.writeUInt16BE(sets.length, 0x3e)
  head.writeUInt32BE(1, 0xc4)
  const entries = sets.flatMap((set, setIndex) => set.titles.map((title, index) => ({ title, setIndex, index })))
  const table = Buffer.alloc(8 + entries.length * 12)
  table.writeUInt16BE(entries.length, 0)
  table.writeUInt32BE(table.length - 1, 4)
  entries.forEach(({ title, setIndex, index }, entry) => {
    const at = 8 + entry * 12
    table.writeUInt8(title.angles ?? 1, at + 1)
    table.writeUInt16BE(title.chapters.length, at + 2)
    table.writeUInt8(setIndex + 1, at + 6)
    table.writeUInt8(index + 1, at + 7)
  })
  return join(head, table)
}

/** VTS_nn_0.IFO: of what the titles of a set are made. */
export function titleSetTable(set: TitleSetPlan): Buffer {
  const head = Buffer.alloc(sectorBytes)
  head.write('DVDVIDEO-VTS', 0, 'latin1')
  head.writeUInt8(0x40 | (set.standard === 'PAL' ? 0x10 : 0) | (set.aspect === '16:9' ? 0x0c : 0), 0x200)
  head.writeUInt16BE(set.audio.length, 0x202)
  set.audio.forEach((track, index) => {
    const at = 0x204 + index * 8
    head.writeUInt8((audioCodes[track.codec] << 5) | 4, at)
    head.writeUInt8(track.channels - 1, at + 1)
    head.write(track.language, at + 2, 'latin1')
  })
  head.writeUInt16BE(set.subtitles.length, 0x254)
  set.subtitles.forEach((track, index) => {
    head.writeUInt8(1, 0x256 + index * 6)
    head.write(track.language, 0x256 + index * 6 + 2, 'latin1')
  })
  const tables: [place: number, table: Buffer][] = [
    [0xc8, chapterTable(set)],
    [0xcc, chainTable(set)],
    [0xe0, addressTable(set)],
    [0xe4, unitTable(set)],
  ]
  let sector = 1
  for (const [place, table] of tables) {
    head.writeUInt32BE(sector, place)
    sector += Math.ceil(table.length / sectorBytes)
  }
  return join(head, ...tables.map(([, table]) => table))
}

/** One chain for each title, one program for each chapter. */
function chapterTable({ titles }: TitleSetPlan): Buffer {
  const lists = titles.map((title, index) => {
    const list = Buffer.alloc(title.chapters.length * 4)
    title.chapters.forEach((_, chapter) => {
      list.writeUInt16BE(index + 1, chapter * 4)
      list.writeUInt16BE(chapter + 1, chapter * 4 + 2)
    })
    return list
  })
  return withOffsets(lists, 4, (table, at, offset) => table.writeUInt32BE(offset, at))
}

function chainTable(set: TitleSetPlan): Buffer {
  return withOffsets(
    set.titles.map(title => programChain(set, title)),
    8,
    (table, at, offset, index) => {
      table.writeUInt8(0x80 | (index + 1), at)
      table.writeUInt32BE(offset, at + 4)
    },
  )
}

/** A table of parts, with the place of each in its head. */
function withOffsets(
  parts: readonly Buffer[],
  entryBytes: number,
  write: (table: Buffer, at: number, offset: number, index: number) => void,
): Buffer {
  const head = Buffer.alloc(8 + parts.length * entryBytes)
  head.writeUInt16BE(parts.length, 0)
  let offset = head.length
  parts.forEach((part, index) => {
    write(head, 8 + index * entryBytes, offset, index)
    offset += part.length
  })
  head.writeUInt32BE(offset - 1, 4)
  return Buffer.concat([head, ...parts])
}

const programMapAt = 0xec

function programChain(set: TitleSetPlan, { cells, chapters }: TitlePlan): Buffer {
  const playbackAt = programMapAt + Math.ceil(chapters.length / 2) * 2
  const positionAt = playbackAt + cells.length * 24
  const chain = Buffer.alloc(positionAt + cells.length * 4)
  const played = cells.filter(cell => (cell.angle?.number ?? 1) === 1)
  chain.writeUInt8(chapters.length, 2)
  chain.writeUInt8(cells.length, 3)
  clock(
    set,
    played.reduce((sum, cell) => sum + cell.frames, 0),
  ).copy(chain, 4)
  set.audio.forEach((_, track) => chain.writeUInt8(0x80 | track, 0x0c + track * 2))
  set.subtitles.forEach((_, track) => {
    chain.writeUInt8(0x80 | track, 0x1c + track * 4)
    chain.writeUInt8(track, 0x1c + track * 4 + 1)
  })
  chain.writeUInt16BE(programMapAt, 0xe6)
  chain.writeUInt16BE(playbackAt, 0xe8)
  chain.writeUInt16BE(positionAt, 0xea)
  chapters.forEach((cell, program) => chain.writeUInt8(cell + 1, programMapAt + program))
  cells.forEach((cell, index) => {
    const at = playbackAt + index * 24
    const { angle } = cell
    // First, middle or last cell of a block of angles.
    if (angle)
      chain.writeUInt8(
        ((angle.number === 1 ? 1 : angle.number === angle.of ? 3 : 2) << 6) | 0x10 | (angle.isInterleaved ? 4 : 0),
        at,
      )
    clock(set, cell.frames).copy(chain, at + 4)
    chain.writeUInt32BE(cell.firstSector, at + 8)
    chain.writeUInt32BE(cell.lastUnitSector, at + 16)
    chain.writeUInt32BE(cell.lastSector, at + 20)
    chain.writeUInt16BE(cell.vobId, positionAt + index * 4)
    chain.writeUInt8(cell.cellId, positionAt + index * 4 + 3)
  })
  return chain
}

/** Hours, minutes, seconds and frames in binary coded decimal. */
function clock({ standard }: TitleSetPlan, frames: number): Buffer {
  const rate = standard === 'PAL' ? 25 : 30
  const decimal = (value: number) => (Math.floor(value / 10) << 4) | (value % 10)
  const seconds = Math.floor(frames / rate)
  return Buffer.from([
    decimal(Math.floor(seconds / 3600)),
    decimal(Math.floor(seconds / 60) % 60),
    decimal(seconds % 60),
    ((standard === 'PAL' ? 1 : 3) << 6) | decimal(frames % rate),
  ])
}

function addressTable({ addresses }: TitleSetPlan): Buffer {
  const table = Buffer.alloc(8 + addresses.length * 12)
  table.writeUInt16BE(new Set(addresses.map(entry => entry.vobId)).size, 0)
  table.writeUInt32BE(table.length - 1, 4)
  addresses.forEach((entry, index) => {
    const at = 8 + index * 12
    table.writeUInt16BE(entry.vobId, at)
    table.writeUInt8(entry.cellId, at + 2)
    table.writeUInt32BE(entry.firstSector, at + 4)
    table.writeUInt32BE(entry.lastSector, at + 8)
  })
  return table
}

function unitTable({ units }: TitleSetPlan): Buffer {
  const table = Buffer.alloc(4 + units.length * 4)
  table.writeUInt32BE(table.length - 1, 0)
  units.forEach((sector, index) => table.writeUInt32BE(sector, 4 + index * 4))
  return table
}
