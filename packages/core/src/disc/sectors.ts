import { z } from 'zod'

/** Sectors that follow each other, both ends included. */
export const SectorRange = z.object({ from: z.int().min(0), to: z.int().min(0) })
export type SectorRange = z.infer<typeof SectorRange>

/** Sectors of a double-layer DVD, the most a disc may have. */
const mostSectors = 4_171_712

/** Reads "1200-1215, 3000". @returns the ranges in ascending order, or a sentence about what cannot be read */
export function parseSectorRanges(text: string): SectorRange[] | string {
  const ranges: SectorRange[] = []
  for (const part of text
    .split(',')
    .map(piece => piece.trim())
    .filter(Boolean)) {
    const match = /^(\d{1,7})(?:\s*-\s*(\d{1,7}))?$/.exec(part)
    if (!match) return `"${part}" is no sector or range of sectors. Write them like 1200-1215, 3000.`
    const [from, to] = [Number(match[1]), Number(match[2] ?? match[1])]
    if (to < from) return `The range ${part} ends before it begins.`
    if (to >= mostSectors) return `There is no sector ${to} on a disc; the last is ${mostSectors - 1}.`
    ranges.push({ from, to })
  }
  return ranges.sort((a, b) => a.from - b.from)
}

/** Adds a sector behind those that are there. @param ranges ascending; changed in place */
export function addSector(ranges: SectorRange[], sector: number): void {
  const last = ranges.at(-1)
  if (last && last.to === sector - 1) last.to = sector
  else ranges.push({ from: sector, to: sector })
}

/** Number of sectors in ranges that do not overlap. */
export function countSectors(ranges: readonly SectorRange[]): number {
  return ranges.reduce((sum, { from, to }) => sum + to - from + 1, 0)
}
