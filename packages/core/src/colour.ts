import { z } from 'zod'
import type { FrameSize } from './geometry.ts'

/**
 * How code values stand for colour (ITU-T H.273 names). A part is null where the file does not say.
 */
export const ColourDescription = z.object({
  range: z.enum(['limited', 'full']).nullable(),
  primaries: z.string().nullable(),
  transfer: z.string().nullable(),
  matrix: z.string().nullable(),
})
export type ColourDescription = z.infer<typeof ColourDescription>

/** A colour description with nothing left open. */
export interface FullColourDescription {
  range: 'limited' | 'full'
  primaries: string
  transfer: string
  matrix: string
}

/** BT.601 as used by 625-line systems (BT.470 System B/G primaries). */
export const sd625: FullColourDescription = {
  range: 'limited',
  primaries: 'bt470bg',
  transfer: 'smpte170m',
  matrix: 'smpte170m',
}
/** BT.601 as used by 525-line systems (SMPTE 170M). */
export const sd525: FullColourDescription = {
  range: 'limited',
  primaries: 'smpte170m',
  transfer: 'smpte170m',
  matrix: 'smpte170m',
}
/** BT.709, high definition. */
export const hd: FullColourDescription = { range: 'limited', primaries: 'bt709', transfer: 'bt709', matrix: 'bt709' }
/** Computer pictures: red, green and blue in full range with the sRGB curve. */
export const rgb: FullColourDescription = { range: 'full', primaries: 'bt709', transfer: 'iec61966-2-1', matrix: 'gbr' }

/** Whether colours have a high dynamic range: PQ or HLG (ITU-R BT.2100). */
export function isHighRange({ transfer }: Pick<FullColourDescription, 'transfer'>): boolean {
  return ['smpte2084', 'arib-std-b67'].includes(transfer)
}

/** Whether a size is high definition: more than 576 lines, or wider than 1024. */
export function isHighDefinition(size: FrameSize): boolean {
  return size.height > 576 || size.width > 1024
}

/**
 * What an untagged picture most probably is: RGB formats are sRGB; by size, HD is BT.709, 525-line sizes (480, 486, 240 lines)
 * are SMPTE 170M, other SD is 625-line BT.601.
 */
export function assumedColour(size: FrameSize, isRgb: boolean): FullColourDescription {
  if (isRgb) return rgb
  if (isHighDefinition(size)) return hd
  return [480, 486, 240].includes(size.height) ? sd525 : sd625
}

/** The file's own description with every open part filled by the assumption for its size. */
export function completeColour(stated: ColourDescription, size: FrameSize, isRgb: boolean): FullColourDescription {
  const assumed = assumedColour(size, isRgb)
  return {
    range: stated.range ?? assumed.range,
    primaries: stated.primaries ?? assumed.primaries,
    transfer: stated.transfer ?? assumed.transfer,
    // A picture of separate red, green and blue has no matrix whatever a tag says.
    matrix: isRgb ? 'gbr' : stated.matrix && stated.matrix !== 'gbr' ? stated.matrix : assumed.matrix,
  }
}

/**
 * The colour description a result should carry: a high-definition result is BT.709; a standard-definition result made from
 * standard definition keeps its own system; one reduced from high definition stays BT.709, because players are told so by the tag.
 * Wide-gamut and high-dynamic-range sources (BT.2020 primaries) keep theirs.
 */
export function targetColour(source: FullColourDescription, result: FrameSize): FullColourDescription {
  if (source.primaries === 'bt2020') return { ...source, range: 'limited' }
  if (isHighDefinition(result) || source.matrix === 'gbr') return hd
  return { ...source, range: 'limited' }
}

/** Luma weights (Kr, Kb) of a matrix (ITU-T H.273 table 4), or null for one we do not compute with. */
export function lumaWeights(matrix: string): { kr: number; kb: number } | null {
  switch (matrix) {
    case 'bt709':
      return { kr: 0.2126, kb: 0.0722 }
    case 'smpte170m':
    case 'bt470bg':
      return { kr: 0.299, kb: 0.114 }
    case 'bt2020nc':
      return { kr: 0.2627, kb: 0.0593 }
    default:
      return null
  }
}

const names: Record<string, string> = {
  bt709: 'BT.709',
  smpte170m: 'BT.601',
  bt470bg: 'BT.601 (625)',
  bt2020: 'BT.2020',
  bt2020nc: 'BT.2020',
  'iec61966-2-1': 'sRGB',
  gbr: 'RGB',
  smpte2084: 'PQ',
  'arib-std-b67': 'HLG',
  linear: 'linear light',
}

/** A tag as a technician reads it ("BT.709"), or the tag itself. */
export function describeColourTag(tag: string | null): string {
  return tag === null ? 'not stated' : (names[tag] ?? tag)
}
