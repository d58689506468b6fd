import { z } from 'zod'
import { describeClock } from '../format.ts'
import { DiscProblem } from './bytes.ts'
import { parseManager, parseTitleSet, type ProgramChain, type TitleEntry, type TitleSet } from './ifo.ts'

export const DiscTrack = z.object({
  codec: z.string(),
  channels: z.int().positive(),
  language: z.string().nullable(),
  purpose: z.string().nullable(),
  /** Number by which the program stream knows it (ISO/IEC 13818-1 stream or sub-stream identifier). */
  streamId: z.int(),
})

/** A title of a disc as its tables describe it. */
export const DiscTitle = z.object({
  number: z.int().positive(),
  seconds: z.number().min(0),
  /** Beginning of each chapter. */
  chapters: z.array(z.number().min(0)),
  angles: z.int().positive(),
  standard: z.enum(['NTSC', 'PAL']),
  aspect: z.enum(['4:3', '16:9']),
  width: z.int().positive(),
  height: z.int().positive(),
  audio: z.array(DiscTrack),
  subtitles: z.array(z.object({ language: z.string().nullable(), streamId: z.int() })),
  /** Colours of its subtitles, as 0xRRGGBB; absent where the tables could not be read. */
  palette: z.array(z.int()).length(16).optional(),
  /** Title that plays the same cells in the same order. */
  repeats: z.int().positive().nullable(),
  /** Why it cannot be brought in, as a sentence. */
  problem: z.string().nullable(),
})
export type DiscTitle = z.infer<typeof DiscTitle>

/** Which title of which disc a source is. */
export const DiscPlace = z.object({
  /** Path of the disc folder or the disc image in its volume. */
  path: z.string(),
  title: z.int().positive(),
  angle: z.int().positive(),
})
export type DiscPlace = z.infer<typeof DiscPlace>

/** What a disc holds. */
export const Disc = z.object({
  name: z.string(),
  titles: z.array(DiscTitle),
  main: z.object({ number: z.int().positive(), why: z.string() }).nullable(),
})
export type Disc = z.infer<typeof Disc>

/** A run of sectors of a title set's VOB files that is played whole. Both ends are inclusive. */
export interface TitlePiece {
  firstSector: number
  lastSector: number
}

/** A cell of a title in playing order. */
export interface TitleCell {
  seconds: number
  /** First sector of its last video object unit, which says when the cell ends. */
  lastUnitSector: number
  pieces: TitlePiece[]
}

/** Tables of a disc, parsed. */
export interface DiscTables {
  titles: DiscTitle[]
  /** Which title set each title lies in, by the title's number. */
  titleSets: Map<number, number>
  cellsOf(title: number, angle: number): TitleCell[]
}

/** Number of the first stream of each codec in a DVD's program stream. */
const firstStream: Record<string, number> = { ac3: 0x80, dts: 0x88, pcm: 0xa0, mp2: 0x1c0 }

/**
 * Reads the tables of a disc. A title set that is damaged makes its titles unusable and leaves the others.
 * @param manager bytes of VIDEO_TS.IFO
 * @param titleSet gives the bytes of VTS_nn_0.IFO, or null when the disc has no such file
 * @throws DiscProblem when the manager's file is damaged
 */
export function readDiscTables(manager: Uint8Array, titleSet: (number: number) => Uint8Array | null): DiscTables {
  const entries = parseManager(manager)
  const sets = new Map<number, TitleSet | string>()
  for (const number of new Set(entries.map(entry => entry.titleSet)))
    sets.set(number, parseOrSay(number, titleSet(number)))
  const setOf = (title: number): TitleSet => {
    const entry = entries[title - 1]
    if (!entry) throw new DiscProblem(`The disc has no title ${title}; it has ${entries.length}.`)
    const set = sets.get(entry.titleSet)!
    if (typeof set === 'string') throw new DiscProblem(set)
    return set
  }
  const cellsOf = (title: number, angle: number) => cellsOfTitle(setOf(title), entries[title - 1]!, angle)
  const played = new Map<string, number>()
  const titles = entries.map(entry => {
    try {
      const described = describe(setOf(entry.number), entry)
      const key = JSON.stringify([entry.titleSet, cellsOf(entry.number, 1)])
      const repeats = played.get(key) ?? null
      if (repeats === null) played.set(key, entry.number)
      return { ...described, repeats }
    } catch (error) {
      if (!(error instanceof DiscProblem)) throw error
      return unusable(entry, error.message)
    }
  })
  return { titles, titleSets: new Map(entries.map(entry => [entry.number, entry.titleSet])), cellsOf }
}

function parseOrSay(number: number, data: Uint8Array | null): TitleSet | string {
  const name = `VTS_${String(number).padStart(2, '0')}_0.IFO`
  if (!data) return `${name} is missing, which says what this title is made of. Read the disc again.`
  try {
    return parseTitleSet(data, number)
  } catch (error) {
    if (error instanceof DiscProblem) return error.message
    throw error
  }
}

/** Chains that a title plays, each once, in the order of its chapters. */
function chainsOf(set: TitleSet, entry: TitleEntry): { number: number; chain: ProgramChain }[] {
  const chapters = set.titles[entry.titleInSet - 1]
  if (!chapters || chapters.length === 0)
    throw new DiscProblem(`Title ${entry.number} has no chapters in the tables of its title set. Read the disc again.`)
  return [...new Set(chapters.map(chapter => chapter.chain))].map(number => {
    const chain = set.chains[number - 1]
    if (!chain)
      throw new DiscProblem(
        `Title ${entry.number} is made of a part ${number} that its title set does not have. Read the disc again.`,
      )
    return { number, chain }
  })
}

function cellsOfTitle(set: TitleSet, entry: TitleEntry, angle: number): TitleCell[] {
  const cells = chainsOf(set, entry).flatMap(({ chain }) =>
    chain.cells.filter(cell => cell.angle === 0 || cell.angle === angle),
  )
  return cells.map(cell => {
    // The units of an interleaved cell lie between those of the other angles; the address table has them one by one.
    const pieces = cell.isInterleaved
      ? set.addresses
          .filter(entry => entry.vobId === cell.vobId && entry.cellId === cell.cellId)
          .map(({ firstSector, lastSector }) => ({ firstSector, lastSector }))
          .sort((a, b) => a.firstSector - b.firstSector)
      : [{ firstSector: cell.firstSector, lastSector: cell.lastSector }]
    if (pieces.length === 0 || pieces.some(piece => piece.lastSector < piece.firstSector))
      throw new DiscProblem(`Title ${entry.number} has a cell that ends before it begins. Read the disc again.`)
    return { seconds: cell.seconds, lastUnitSector: cell.lastUnitSector, pieces }
  })
}

function describe(set: TitleSet, entry: TitleEntry): Omit<DiscTitle, 'repeats'> {
  const chains = chainsOf(set, entry)
  const begins = new Map<number, number>()
  let seconds = 0
  for (const { number, chain } of chains) {
    begins.set(number, seconds)
    seconds += chain.seconds
  }
  const chapters = set.titles[entry.titleInSet - 1]!.map(({ chain: number, program }) => {
    const { chain } = chains.find(played => played.number === number)!
    const cell = chain.programs[program - 1]
    if (cell === undefined)
      throw new DiscProblem(
        `Title ${entry.number} has a chapter that points outside its part ${number}. Read the disc again.`,
      )
    // Of a block of angles one cell is played.
    return (
      begins.get(number)! +
      chain.cells
        .slice(0, cell)
        .filter(played => played.angle < 2)
        .reduce((sum, played) => sum + played.seconds, 0)
    )
  })
  const { chain } = chains[0]!
  const audio = chain.audio.flatMap(({ track, stream }) => {
    const found = set.audio[track]
    return found
      ? [
          {
            codec: found.codec,
            channels: found.channels,
            language: found.language,
            purpose: found.purpose,
            streamId: firstStream[found.codec]! + stream,
          },
        ]
      : []
  })
  const subtitles = chain.subpictures.flatMap(({ track, stream }) =>
    set.subpictures[track] ? [{ language: set.subpictures[track].language, streamId: 0x20 + stream }] : [],
  )
  const { standard, aspect, width, height } = set.video
  return {
    number: entry.number,
    seconds,
    chapters,
    angles: Math.max(1, entry.angles),
    standard,
    aspect,
    width,
    height,
    audio,
    subtitles,
    palette: chain.palette,
    problem: null,
  }
}

function unusable(entry: TitleEntry, problem: string): DiscTitle {
  return {
    number: entry.number,
    seconds: 0,
    chapters: [],
    angles: 1,
    standard: 'PAL',
    aspect: '4:3',
    width: 720,
    height: 576,
    audio: [],
    subtitles: [],
    repeats: null,
    problem,
  }
}

/** Titles shorter than this are logos and menus more often than material. */
const shortTitleSeconds = 60

/** Which titles of a disc come in when nobody chose, and why the others do not. */
export function titlesToBringIn({ titles, main }: Disc): {
  numbers: number[]
  leftOut: { number: number; reason: string }[]
} {
  const reasonAgainst = (title: DiscTitle): string | null => {
    if (title.problem !== null) return title.problem
    if (title.repeats !== null) return `It plays the same as title ${title.repeats}.`
    if (title.seconds < shortTitleSeconds && title.number !== main?.number)
      return `It is only ${describeClock(title.seconds)} long. Open the disc to choose it.`
    return null
  }
  const judged = titles.map(title => ({ number: title.number, reason: reasonAgainst(title) }))
  return {
    numbers: judged.filter(title => title.reason === null).map(title => title.number),
    leftOut: judged.flatMap(({ number, reason }) => (reason === null ? [] : [{ number, reason }])),
  }
}

/** Name of a title among the sources: "Training disc 3 title 1". @param path of the disc folder or image in its volume */
export function titlePath({ path, title, angle }: DiscPlace): string {
  return `${path.replace(/\/VIDEO_TS$/i, '')} title ${title}${angle > 1 ? ` angle ${angle}` : ''}`
}

/** The title that a disc was made for: the longest that can be read and repeats no other; among those nearly as long, the one with the most chapters. */
export function mainTitle(titles: readonly DiscTitle[]): Disc['main'] {
  const usable = titles.filter(title => title.problem === null && title.repeats === null && title.seconds > 0)
  const longest = Math.max(...usable.map(title => title.seconds))
  const near = usable
    .filter(title => title.seconds > longest * 0.98)
    .sort((a, b) => b.chapters.length - a.chapters.length || a.number - b.number)
  const main = near[0]
  if (!main) return null
  const length = describeClock(main.seconds)
  if (usable.length === 1) return { number: main.number, why: `the only title that can be used, ${length}` }
  if (near.length > 1)
    return {
      number: main.number,
      why: `of ${near.length} titles about ${length} long the one with the most chapters, ${main.chapters.length}`,
    }
  const next = Math.max(...usable.filter(title => title !== main).map(title => title.seconds))
  return { number: main.number, why: `the longest, ${length}; the next is ${describeClock(next)}` }
}
