import type { MeasuredPicture, MeasuredWindow } from '../measurement.ts'
import { finding, middle, moment, type Finding, type FindingData } from './finding.ts'

export type PictureKind = NonNullable<FindingData['picture']>

/** A frame that changed by less than this stands exactly still, in codes: a camera's picture never does, unless its coder repeats it. */
const exactlyStill = 0.03
/** Part of exactly still frames that only screens and slides have. */
const mostlyStill = 0.6
/** Part of the pixels with one of four shades in pictures that were drawn. */
const fewShades = 0.55
/** The same, where the picture is also clean, even and sharp, as no lens draws it. */
const cleanly = { noise: 0.012, flat: 0.52, detail: 0.97, shades: 0.14 }
/** Change from frame to frame in screens, where little moves at a time, in codes. */
const littleMoves = 0.3
/** Smaller pictures tell nothing of how they were made. */
export const leastLines = 96

const stillPart = ({ change }: MeasuredWindow) =>
  change.length < 2 ? 0 : change.slice(1).filter(value => value < exactlyStill).length / (change.length - 1)

/** What kind of picture it is, where that can be told: drawn (rendered too), a screen, slides, or filmed. Null where it cannot. */
export function kindOf(picture: MeasuredPicture): { kind: PictureKind; sure: number } | null {
  const windows = picture.windows.filter(window => window.still && window.seconds.length > 1)
  if (windows.length === 0 || picture.height < leastLines) return null
  const of = (figure: (still: NonNullable<MeasuredWindow['still']>) => number | null | undefined) =>
    middle(windows.flatMap(window => figure(window.still!) ?? []))
  const shades = of(still => still.peaked)
  if (Number.isNaN(shades)) return null
  const still = middle(windows.map(stillPart))
  const change = middle(windows.map(window => middle(window.change.slice(1))))
  const noise = of(entry => entry.noise)
  const detail = Math.min(of(entry => entry.detailX?.cutoff) || 0, of(entry => entry.detailY?.cutoff) || 0)
  const isClean =
    noise <= cleanly.noise &&
    of(entry => entry.flat) >= cleanly.flat &&
    detail >= cleanly.detail &&
    shades >= cleanly.shades
  if (still >= mostlyStill) return { kind: shades >= fewShades ? 'slides' : 'screen', sure: 0.85 }
  if (shades >= fewShades || isClean)
    return { kind: change < littleMoves ? 'screen' : 'drawn', sure: shades >= fewShades ? 0.9 : 0.75 }
  return { kind: 'filmed', sure: noise > 0.1 ? 0.9 : 0.7 }
}

const words: Record<PictureKind, string> = {
  filmed: 'Filmed: its even parts are those of a camera.',
  drawn: 'Drawn or rendered: few shades, clean and sharp.',
  screen: 'A screen: clean and sharp, and little of it moves at a time.',
  slides: 'Slides: few shades, standing still between changes.',
}

/** The kind of picture as a finding. */
export function kindFinding(picture: MeasuredPicture): Finding[] {
  const found = kindOf(picture)
  if (!found) return []
  return [
    finding('kind', 'nature', words[found.kind], {
      sure: found.sure,
      places: picture.windows.slice(0, 1).map(window => moment(window.still?.seconds ?? 0)),
      data: { picture: found.kind },
    }),
  ]
}
