import { DateTime } from 'luxon'
import { z } from 'zod'
import type { SourceFacts } from './facts.ts'
import { describeCodec } from './codec-names.ts'
import { describeClock } from './format.ts'
import { nearestRational, toNumber } from './rational.ts'
import { describeRate, snapRate } from './timing.ts'

/** Material that has been announced but is not here yet, as an inventory describes it. Only the name must be known. */
export const PlannedSource = z.object({
  name: z.string().trim().min(1, 'is empty').max(255, 'is longer than 255 characters'),
  /** What it comes on: "U-matic 12", "hard disk 3". */
  carrier: z.string().max(120, 'is longer than 120 characters').nullable(),
  seconds: z.number().positive().max(1e6).nullable(),
  width: z.int().positive().max(100_000).nullable(),
  height: z.int().positive().max(100_000).nullable(),
  framesPerSecond: z.number().positive().max(1000).nullable(),
  scan: z.enum(['progressive', 'interlaced']).nullable(),
  codec: z.string().max(60, 'is longer than 60 characters').nullable(),
  bytes: z.number().min(0).max(1e15).nullable(),
  notes: z.string().max(2000, 'is longer than 2000 characters').nullable(),
  /** When it is expected to be here, ISO 8601 in UTC; null where nobody said. */
  expectedAt: z.iso.datetime().nullable().default(null),
})
export type PlannedSource = z.infer<typeof PlannedSource>

/** An item of which no more is announced than what it is called. */
export function onlyNamed(name: string): PlannedSource {
  return {
    ...{ name, carrier: null, seconds: null, width: null, height: null, framesPerSecond: null },
    ...{ scan: null, codec: null, bytes: null, notes: null, expectedAt: null },
  }
}

/** Columns of an inventory: what they are called in ours, other words that head them elsewhere, and how their cells are written. */
export const inventoryColumns = [
  {
    key: 'name',
    title: 'Name',
    also: ['title', 'item', 'file', 'filename', 'file name', 'source', 'clip', 'tape'],
    written: "what the item is called; a file's ending may be left out",
  },
  { key: 'carrier', title: 'Carrier', also: ['medium', 'media', 'box', 'format', 'from'], written: 'what it comes on' },
  {
    key: 'length',
    title: 'Length',
    also: ['duration', 'runtime', 'running time', 'time', 'trt'],
    written: '2:14:08, 14:08 (minutes and seconds), 848 s, 90 min',
  },
  { key: 'frame', title: 'Frame', also: ['frame size', 'resolution', 'size in pixels', 'raster'], written: '720x576' },
  { key: 'rate', title: 'Rate', also: ['frame rate', 'fps', 'frames per second'], written: '25, 29.97, 30000/1001' },
  {
    key: 'scan',
    title: 'Scan',
    also: ['scanning', 'interlacing', 'field order'],
    written: 'progressive or interlaced',
  },
  { key: 'codec', title: 'Codec', also: ['compression', 'video codec', 'coding'], written: 'DV, MPEG-2, H.264' },
  { key: 'size', title: 'Size', also: ['bytes', 'file size', 'storage'], written: '28.9 GB, or a number of bytes' },
  {
    key: 'notes',
    title: 'Notes',
    also: ['note', 'comment', 'comments', 'remarks', 'description'],
    written: 'anything else',
  },
  {
    key: 'expected',
    title: 'Expected',
    also: ['expected at', 'arrives', 'arrival', 'ready', 'ready by', 'delivered', 'available'],
    written: '2026-12-02 14:00, 2 Dec 2026, 2.12.2026; a day alone counts from its end',
  },
] as const
export type InventoryColumn = (typeof inventoryColumns)[number]['key']

/** Which column of a table holds what; null for what it does not have. */
export type ColumnMatch = Record<InventoryColumn, number | null>

/** What an inventory may have: a page that matches columns by hand holds no more. */
const mostColumns = 200
const mostLines = 20_000
const mostCharacters = 20_000_000

/** Why a table is too large to be read as an inventory, as a sentence; null when it is not. @param text the whole of it, before it is taken apart */
export function tooLargeForInventory(text: string): string | null {
  if (text.length > mostCharacters)
    return `The table is longer than ${mostCharacters / 1e6} million characters. Save the part that is needed into a file of its own.`
  const firstEnd = text.search(/[\r\n]/)
  const first = firstEnd < 0 ? text : text.slice(0, firstEnd)
  const columns = Math.max(...[',', ';', '\t', '|'].map(separator => first.split(separator).length))
  if (columns > mostColumns)
    return `The table has ${columns} columns; at most ${mostColumns} are taken. Save the columns that are needed into a file of its own.`
  const lines = text.split('\n').length
  return lines > mostLines + 1
    ? `The table has ${lines} lines; at most ${mostLines} are taken at a time. Divide it.`
    : null
}

/** The columns that a table's headings name, each used once. */
export function matchColumns(headings: readonly string[]): ColumnMatch {
  const words = headings.map(heading =>
    heading
      .trim()
      .toLowerCase()
      .replace(/[_\s]+/g, ' '),
  )
  const taken = new Set<number>()
  const find = (names: readonly string[]) => {
    const index = words.findIndex((word, place) => !taken.has(place) && names.includes(word))
    if (index >= 0) taken.add(index)
    return index < 0 ? null : index
  }
  // A heading that is exactly ours goes first, so that no synonym takes its column.
  const exact = inventoryColumns.map(column => find([column.title.toLowerCase()]))
  return Object.fromEntries(
    inventoryColumns.map((column, index) => [column.key, exact[index] ?? find(column.also)]),
  ) as ColumnMatch
}

export interface InventoryProblem {
  /** Line of the table, counted from 1 with the headings as the first. */
  line: number
  column: string
  message: string
}

/**
 * Reads the lines of an inventory. A line with a cell that cannot be read is left out and named; empty lines are passed over.
 * @param lines cells below the headings
 * @param zone that times without one are in: "Europe/Lisbon", or that of whoever reads
 */
export function readInventory(
  lines: readonly (readonly string[])[],
  match: ColumnMatch,
  zone = 'local',
): { sources: PlannedSource[]; problems: InventoryProblem[] } {
  const sources: PlannedSource[] = []
  const problems: InventoryProblem[] = []
  const seen = new Map<string, number>()
  // Much of what is announced comes together.
  const moments = new Map<string, string | null>()
  const momentOf = (text: string) => {
    if (!moments.has(text)) moments.set(text, readMoment(text, zone))
    return moments.get(text)!
  }
  for (const [index, cells] of lines.entries()) {
    if (cells.every(cell => cell.trim() === '')) continue
    const line = index + 2
    const before = problems.length
    const complain = (column: string, message: string) => {
      problems.push({ line, column, message })
    }
    const cell = (key: InventoryColumn) => (match[key] === null ? '' : (cells[match[key]] ?? '').trim())
    const readCell = <Value>(key: InventoryColumn, read: (text: string) => Value | null): Value | null => {
      const text = cell(key)
      if (text === '') return null
      const value = read(text)
      const column = inventoryColumns.find(entry => entry.key === key)!
      if (value === null) complain(column.title, `"${text}" cannot be read. Write it like ${column.written}.`)
      return value
    }
    const frame = readCell('frame', readFrame)
    const source = {
      name: cell('name'),
      carrier: cell('carrier') || null,
      seconds: readCell('length', readLength),
      width: frame?.width ?? null,
      height: frame?.height ?? null,
      framesPerSecond: readCell('rate', readRate),
      scan: readCell('scan', readScan),
      codec: cell('codec') || null,
      bytes: readCell('size', readSize),
      notes: cell('notes') || null,
      expectedAt: readCell('expected', momentOf),
    }
    const parsed = PlannedSource.safeParse(source)
    if (!parsed.success)
      for (const issue of parsed.error.issues)
        complain(
          inventoryColumns.find(column => column.key === issue.path[0])?.title ?? String(issue.path[0]),
          issue.message,
        )
    const key = inventoryKey(source.name)
    const same = seen.get(key)
    if (source.name !== '' && same !== undefined) complain('Name', `"${source.name}" stands in line ${same} already.`)
    if (problems.length > before || !parsed.success) continue
    seen.set(key, line)
    sources.push(parsed.data)
  }
  return { sources, problems }
}

const number = (text: string) => Number(text.replace(',', '.'))

function readLength(text: string): number | null {
  const clock = /^(?:(\d+):)?(\d{1,3}):(\d{1,2}(?:[.,]\d+)?)$/.exec(text)
  if (clock) return Number(clock[1] ?? 0) * 3600 + Number(clock[2]) * 60 + number(clock[3]!) || null
  const plain = /^(\d+(?:[.,]\d+)?)\s*(s|sec|seconds|min|minutes|h|hours)?$/i.exec(text)
  if (!plain) return null
  const unit = (plain[2] ?? 's').toLowerCase()
  return number(plain[1]!) * (unit.startsWith('h') ? 3600 : unit.startsWith('m') ? 60 : 1) || null
}

function readFrame(text: string): { width: number; height: number } | null {
  const match = /^(\d{1,5})\s*[x×*]\s*(\d{1,5})$/i.exec(text)
  return match && Number(match[1]) > 0 && Number(match[2]) > 0
    ? { width: Number(match[1]), height: Number(match[2]) }
    : null
}

function readRate(text: string): number | null {
  const match = /^(\d+(?:[.,]\d+)?)(?:\s*\/\s*(\d+))?\s*(?:fps)?$/i.exec(text)
  if (!match || Number(match[2] ?? 1) === 0) return null
  const rate = number(match[1]!) / Number(match[2] ?? 1)
  // "29.97" is meant as 30000/1001.
  return rate > 0 && rate <= 1000 ? toNumber(snapRate(nearestRational(rate))) : null
}

function readScan(text: string): PlannedSource['scan'] {
  return /^(p|prog|progressive)$/i.test(text)
    ? 'progressive'
    : /^(i|interlaced|(top|bottom|upper|lower)( field)?( first)?|tff|bff)$/i.test(text)
      ? 'interlaced'
      : null
}

const units: Record<string, number> = {
  '': 1,
  b: 1,
  bytes: 1,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  tb: 1e12,
  kib: 2 ** 10,
  mib: 2 ** 20,
  gib: 2 ** 30,
  tib: 2 ** 40,
}

function readSize(text: string): number | null {
  const match = /^(\d+(?:[.,]\d+)?)\s*([a-z]*)$/i.exec(text)
  const unit = match ? units[match[2]!.toLowerCase()] : undefined
  return match && unit !== undefined ? Math.round(number(match[1]!) * unit) : null
}

const monthNames = 'january february march april may june july august september october november december'.split(' ')
/** Days as they are written, before a time of day: slashes are not read, as some put the day first and some the month. */
const days = [
  /^(?<year>\d{4})-(?<month>\d{1,2})-(?<day>\d{1,2})/,
  /^(?<day>\d{1,2})\. ?(?<month>\d{1,2})\. ?(?<year>\d{4})/,
  /^(?<day>\d{1,2})\.? (?<name>[a-z]{3,9})\.? (?<year>\d{4})/i,
]
const timeOfDay =
  /^(?:,? |T)(?<hour>\d{1,2}):(?<minute>\d{2})(?::(?<second>\d{2})(?:\.\d+)?)?(?<offset>Z|[+-]\d{2}:?\d{2})?$/i

/** @returns ISO 8601 in UTC; of a day alone, its last minute */
function readMoment(text: string, zone: string): string | null {
  const words = text.replace(/\s+/g, ' ')
  const day = days.map(pattern => pattern.exec(words)).find(found => found !== null)
  const rest = words.slice(day?.[0].length)
  const time = timeOfDay.exec(rest)
  if (!day || (rest !== '' && !time)) return null
  const { year, month, name, day: date } = day.groups!
  const { hour = '23', minute = '59', second = '0', offset } = time?.groups ?? {}
  const monthNumber = name ? 1 + monthNames.findIndex(full => full.startsWith(name.toLowerCase())) : Number(month)
  const at = DateTime.fromObject(
    {
      ...{ year: Number(year), month: monthNumber, day: Number(date) },
      ...{ hour: Number(hour), minute: Number(minute), second: Number(second) },
    },
    { zone: offset ? zoneOf(offset) : zone },
  )
  return at.isValid ? at.toUTC().toISO() : null
}

/** "+0200" as the library names it. */
function zoneOf(offset: string): string {
  return offset.toUpperCase() === 'Z' ? 'utc' : `UTC${offset.slice(0, 3)}:${offset.slice(-2)}`
}

/** What names must share to mean the same item: letters and digits, without capitals, directories and a file's ending. */
export function inventoryKey(name: string): string {
  const last = name.split('/').at(-1)!.normalize('NFC').toLowerCase()
  return last
    .replace(/\.[a-z0-9]{1,5}$/, '')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim()
}

/** How a source differs from what the inventory announced, each as a sentence's part. */
export function differencesFromPlan(planned: PlannedSource, facts: SourceFacts): string[] {
  const { video } = facts
  const found: string[] = []
  const differ = (what: string, is: string, announced: string) => {
    found.push(`${what} ${is} instead of ${announced}`)
  }
  // Lengths on labels are rounded; two seconds or 2 % are no other item.
  if (
    planned.seconds !== null &&
    facts.durationSeconds !== null &&
    Math.abs(facts.durationSeconds - planned.seconds) > Math.max(2, planned.seconds * 0.02)
  )
    differ('length', describeClock(facts.durationSeconds), describeClock(planned.seconds))
  if (
    video &&
    planned.width !== null &&
    planned.height !== null &&
    (video.width !== planned.width || video.height !== planned.height)
  )
    differ('frame', `${video.width}x${video.height}`, `${planned.width}x${planned.height}`)
  if (
    video &&
    planned.framesPerSecond !== null &&
    Math.abs(toNumber(video.frameRate) / planned.framesPerSecond - 1) > 0.0005
  )
    differ('rate', describeRate(video.frameRate), describeRate(snapRate(nearestRational(planned.framesPerSecond))))
  if (video && planned.scan !== null && (video.scan.kind === 'progressive') !== (planned.scan === 'progressive'))
    differ('scan', video.scan.kind, planned.scan)
  const codec = describeCodec(video?.codec ?? facts.audio[0]?.codec ?? '')
  const letters = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '')
  if (planned.codec !== null && letters(codec) !== letters(planned.codec)) differ('codec', codec, planned.codec)
  return found
}
