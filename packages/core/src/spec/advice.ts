import type { Container } from './container.ts'
import type { DeliverySpec } from './schema.ts'
import type { SpecWork } from '../planning/index.ts'
import type { Range } from '../range.ts'

/** What results are wanted for, each with shipped specs that serve it and differ in what they cost. */
export interface Purpose {
  key: string
  name: string
  /** Keys of specs, the plainest first. */
  specs: readonly string[]
}

export const purposes: readonly Purpose[] = [
  { key: 'edit', name: 'editing', specs: ['editing-master', 'editing-mxf'] },
  { key: 'archive', name: 'an archive', specs: ['archive-master', 'untouched-mkv'] },
  { key: 'box', name: 'a playback box', specs: ['playback-box', 'small-mp4'] },
  { key: 'television', name: 'television equipment', specs: ['television-625', 'television-525'] },
  { key: 'web', name: 'web pages', specs: ['web-mp4', 'open-web-mp4', 'open-web-webm'] },
  { key: 'mail', name: 'a mail attachment', specs: ['mail-mp4', 'web-mp4'] },
  { key: 'grading', name: 'grading and compositing', specs: ['frames-png', 'frames-exr', 'editing-master'] },
  { key: 'print', name: 'print', specs: ['still-print', 'still-png'] },
]

/** What opens a result, in words, and whether that is nearly everything of its kind. */
export interface Reach {
  says: string
  isWide: boolean
}

const only = (says: string): Reach => ({ says, isWide: false })
const wide = (says: string): Reach => ({ says, isWide: true })
const free = only('free players and archive tools; few televisions')

/** Of containers by the codec of the picture; the entry without a codec is for all others. */
const reaches: Record<Container, Reach | ({ [codec: string]: Reach } & { other: Reach })> = {
  mp4: {
    h264: wide('browsers, phones, televisions and editing programs'),
    hevc: only('newer phones and televisions; not every browser'),
    av1: only('current browsers and the newest televisions'),
    vp9: only('current browsers'),
    other: only('older players'),
  },
  mov: {
    h264: wide('editing programs, phones and most players'),
    prores: only('editing programs'),
    dnxhd: only('editing programs'),
    other: only('editing programs and players on the desk'),
  },
  mkv: { h264: only('free players and many televisions'), ffv1: only('archive tools and free players'), other: free },
  webm: only('browsers'),
  ts: only('broadcast equipment, televisions and free players'),
  mpg: only('disc and television equipment, and free players'),
  mxf: only('editing programs and broadcast equipment'),
  avi: only('older players and editing programs'),
  wav: wide('everything that plays sound'),
  flac: only('current players, and archive tools'),
  m4a: wide('browsers, phones and players'),
  mka: free,
  images: only('grading and compositing programs'),
  png: wide('everything that shows pictures'),
  jpg: wide('everything that shows pictures'),
  tif: only('image and layout programs'),
  webp: only('browsers, and current image programs'),
  jxl: only('few programs yet'),
  avif: only('current browsers, and the newest image programs'),
  exr: only('grading and compositing programs'),
  dpx: only('grading and compositing programs'),
}

/** What opens the results of a spec. Which programs these are changes with the years; it says what is usual, and promises nothing. */
export function reachOf({ container, video }: Pick<DeliverySpec, 'container' | 'video'>): Reach {
  const entry = reaches[container]
  if ('says' in entry) return entry as Reach
  return (video && entry[video.codec]) ?? entry.other
}

/**
 * What sets a spec apart from the others that the same sources are drafted with, in plain words. Sizes and times are only compared where all of them are known,
 * and differ by more than they are sure to.
 * @returns words for each, in their order
 */
export function marksOf(
  rows: readonly Pick<SpecWork, 'totals'>[],
  specs: readonly Pick<DeliverySpec, 'container' | 'video'>[],
): string[][] {
  const isKnown = rows.length > 1 && rows.every(({ totals }) => totals.unknown === 0)
  const bytes = rows.map(({ totals }) => totals.bytes)
  const seconds = rows.map(({ totals }) => totals.seconds)
  const isFirst = (values: readonly Range[], index: number, isBefore: (a: Range, b: Range) => boolean) =>
    isKnown && values.every((value, other) => other === index || isBefore(values[index]!, value))
  const less = (a: Range, b: Range) => a.expected < b.low && a.high < b.expected
  const more = (a: Range, b: Range) => less(b, a)
  return rows.map((_, index) => [
    ...(reachOf(specs[index]!).isWide ? ['opens nearly everywhere'] : []),
    ...(isFirst(bytes, index, less) ? ['smallest'] : []),
    ...(isFirst(bytes, index, more) ? ['largest'] : []),
    ...(isFirst(seconds, index, less) ? ['quickest'] : []),
    ...(isFirst(seconds, index, more) ? ['takes longest'] : []),
  ])
}
