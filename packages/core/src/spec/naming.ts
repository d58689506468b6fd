import { z } from 'zod'
import { pictureCodec } from '../codecs/index.ts'
import { outputKind, type Container } from './container.ts'
import type { Piece, SpecPieces } from './piece.ts'
import type { FrameSize } from '../geometry.ts'
import type { Rational } from '../rational.ts'
import { describeRate } from '../timing.ts'

/** How pictures of a sequence are numbered: the first number, and the digits that numbers are filled up to with noughts. */
export const Numbering = z.object({ first: z.int().min(0).max(9_999_999), digits: z.int().min(1).max(9) })
export type Numbering = z.infer<typeof Numbering>
export const usualNumbering: Numbering = { first: 1, digits: 4 }

/** The named parts that the name of a result can have, in plain words. */
export const nameParts = {
  item: "the source's name without its ending",
  number: 'the place of the source in its order, as 0007',
  lot: 'the name of its lot',
  order: "the order's code",
  spec: "the spec's name",
  size: 'the frame size, as 1920x1080',
  rate: 'the frame rate, as 25',
  codec: 'the codec, as HEVC',
  disc: "the disc's name; empty for what is from none",
  title: 'the number of the title on its disc',
  piece: 'the number of the piece, as 02; empty for what is whole',
  chapter: 'the title of the chapter that the piece is; empty without one',
  date: 'the day on which it was drafted, as 2026-11-27',
} as const
export type NamePart = keyof typeof nameParts

/** What the name of a result is made of. */
export interface NameFacts {
  /** The source's name with its ending. */
  item: string
  /** Counted from 1. */
  number: number
  lot: string | null
  order: string
  /** Where the source is a title of a disc: the disc's path, and the title's number. */
  disc: { path: string; title: number } | null
  /** Null for what is whole. */
  piece: Piece | null
  /** Null for sound alone. */
  result: { frame: FrameSize; rate: Rational } | null
  /** "2026-11-27". */
  date: string
}

/** What of a spec says how its results are named. */
export interface NamingRule {
  pieces?: SpecPieces | undefined
  namePattern?: string | undefined
  /** Of specs without a pattern: added to the source's name. */
  nameSuffix: string
}

/** What of a spec stands in the names of its results. */
export interface NamedSpec extends NamingRule {
  name: string
  container: Container
  video: { codec: string } | null
}

const longestNameBytes = 255
/** Folders above each other, and the name itself. */
const mostFolders = 8
const part = /\{([^{}]*)\}/g

/** The pattern by which a spec names its results: its own, or the source's name with what is added to it. */
export function namePatternOf({ namePattern, nameSuffix }: NamingRule): string {
  return namePattern ?? `{item}${nameSuffix}`
}

/** The same for a piece: where the pattern does not say which one it is, its number stands behind all else. */
function patternOfPiece(spec: NamingRule): string {
  const pattern = namePatternOf(spec)
  return pattern.includes('{piece}') ? pattern : `${pattern}-{piece}`
}

/** Sentences on what does not make sense in the pattern of a spec's names. */
export function patternProblems(spec: NamingRule): string[] {
  const pattern = namePatternOf(spec)
  const known = Object.keys(nameParts)
  const used = [...pattern.matchAll(part)].map(match => match[1]!)
  const unknown = used.filter(name => !known.includes(name))
  const folders = pattern.split('/')
  return [
    ...unknown.map(name => `Names have no part {${name}}. They have ${known.map(entry => `{${entry}}`).join(', ')}.`),
    ...(/[{}]/.test(pattern.replaceAll(part, '')) ? ['A brace in the names is not closed, or not opened.'] : []),
    ...(used.includes('item') || used.includes('number')
      ? []
      : ['Names without {item} or {number} are the same for every source.']),
    ...(folders.some(folder => folder.trim() === '') ? ['A folder in the names has no name.'] : []),
    ...(folders.length > mostFolders ? [`Names have at most ${mostFolders - 1} folders.`] : []),
  ]
}

/** A disc as its results are called after it: its folder or image, without what all have in common. */
function discName(path: string): string {
  return path
    .replace(/\/VIDEO_TS$/i, '')
    .split('/')
    .at(-1)!
    .replace(/\.iso$/i, '')
}

/** A pattern as a line to read: "source name-box.mp4". */
export function describePattern(spec: NamingRule & { container: Container }): string {
  const pattern = spec.pieces ? patternOfPiece(spec).replaceAll('{piece}', '01') : namePatternOf(spec)
  return pattern.replaceAll('{item}', 'source name') + endingOf(spec, 1)
}

/** A name that every disk takes: path separators and control characters become "_", and none begins with a dot. */
function asName(text: string): string {
  return (
    text
      // eslint-disable-next-line no-control-regex -- control characters are exactly what must go
      .replace(/[\u0000-\u001f\u007f/\\]/g, '_')
      .replace(/^\.+/, '_')
      .trim()
  )
}

/** A source's name without its ending; a sequence is called after its files without their numbers. */
export function stemOf(sourceName: string): string {
  return asName(sourceName.replace(/\.[a-z0-9]{1,5}$/i, '').replace(/[-_. ]*\[\d+-\d+\]$/, '')) || 'untitled'
}

/** Cut to 255 bytes of UTF-8, a whole character at a time. */
function fitted(stem: string, tail: string): string {
  const encoder = new TextEncoder()
  let fits = stem
  while (encoder.encode(fits + tail).length > longestNameBytes) fits = [...fits].slice(0, -1).join('')
  return fits + tail
}

/**
 * Path of a result in its volume: the spec's pattern filled in, a counter from the second on, the container's ending; the folder of an image sequence has no
 * ending. Every part is a name that disks take, of at most 255 bytes, and none leads out of the volume.
 */
export function resultName(spec: NamedSpec, about: NameFacts, counter = 1): string {
  const { disc, result, piece } = about
  const pattern = piece ? patternOfPiece(spec) : namePatternOf(spec)
  const values: Record<NamePart, string> = {
    item: '',
    number: String(about.number).padStart(4, '0'),
    lot: about.lot ?? '',
    order: about.order,
    spec: spec.name,
    size: result ? `${result.frame.width}x${result.frame.height}` : '',
    rate: result ? describeRate(result.rate) : '',
    codec: spec.video ? pictureCodec(spec.video.codec).name : '',
    disc: disc ? discName(disc.path) : '',
    title: disc ? String(disc.title) : '',
    piece: piece ? String(piece.number).padStart(Math.max(2, String(piece.of).length), '0') : '',
    chapter: piece?.title ?? '',
    date: about.date,
  }
  const ending = endingOf(spec, counter)
  const encoder = new TextEncoder()
  const named = (item: string) =>
    pattern
      .split('/')
      .map(name => asName(name.replaceAll(part, (_, key: NamePart) => asName({ ...values, item }[key] ?? ''))))
  // What is too long loses letters of the source's name first, so that what tells results apart stays.
  let item = stemOf(about.item)
  const isLong = (names: string[]) => names.some(name => encoder.encode(name + ending).length > longestNameBytes)
  while (item !== '' && isLong(named(item))) item = [...item].slice(0, -1).join('')
  const folders = named(item)
  const last = folders.pop() || 'untitled'
  return [...folders.map(folder => fitted(folder || '_', '')), fitted(last, ending)].join('/')
}

function endingOf(spec: { container: Container }, counter: number): string {
  const ending = outputKind(spec) === 'image sequence' ? '' : `.${spec.container}`
  return `${counter > 1 ? `-${counter}` : ''}${ending}`
}

/** The next name like one that is taken: "tape-box-2.mp4" after "tape-box.mp4". @param counter from 2 on */
export function nextName(taken: string, spec: { container: Container }, counter: number): string {
  const [name = '', ...folders] = taken.split('/').reverse()
  const first = endingOf(spec, 1)
  const stem = name.endsWith(first) ? name.slice(0, name.length - first.length) : name
  return [...folders.reverse(), fitted(stem, endingOf(spec, counter))].join('/')
}

/**
 * Path of a file beside a result: what it adds stands behind the result's name without its ending, which loses letters where that is too long.
 * @param added with its ending: ".en.srt"
 */
export function nameBeside(result: string, spec: { container: Container }, added: string): string {
  const [name = '', ...folders] = result.split('/').reverse()
  const ending = endingOf(spec, 1)
  const stem = ending !== '' && name.endsWith(ending) ? name.slice(0, -ending.length) : name
  return [...folders.reverse(), fitted(stem, added)].join('/')
}

/** Endings of the files of codecs of single pictures, where the codec's key is not it. */
const pictureEndings: Record<string, string> = { mjpeg: 'jpg', tiff: 'tif' }

/** File name of a picture of a sequence, counted from 0: "tape 3.0001.png". */
export function pictureName(
  sourceName: string,
  { video }: { video: { codec: string } },
  { first, digits }: Numbering,
  index: number,
): string {
  const number = String(first + index).padStart(digits, '0')
  return fitted(stemOf(sourceName), `.${number}.${pictureEndings[video.codec] ?? video.codec}`)
}

/** Name of the list of checksums in the folder of an image sequence. */
export const checksumsFile = 'checksums.sha256'

/** File name of a sound track beside a sequence's pictures: "tape 3.sound-1.wav". */
export function soundBesideName(sourceName: string, index: number): string {
  return fitted(stemOf(sourceName), `.sound-${index + 1}.wav`)
}
