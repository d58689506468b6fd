import { createHash } from 'node:crypto'
import { createReadStream, readdirSync } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import path from 'node:path'
import type { FindingKey } from '@hematine/core'

/** What a person saw in a real file: the faults it has, and those about which one may argue. */
export interface LookedAt {
  has: FindingKey[]
  open: FindingKey[]
}

/** Labels of real files, made by looking at their frames and levels. By the start of the file's SHA-256. Limits were set with these files in view: what the rules make of them is no proof for files they never saw. */
const labels: Record<string, LookedAt> = {
  '6c391c7898fd5503': { has: [], open: ['blocking', 'soft', 'black'] },
  '5362c5cc14e9d03f': { has: [], open: [] },
  '9e0d8db1d78b941b': { has: [], open: ['aspect'] },
  a4dbcf2b9b702f9d: { has: [], open: ['blocking'] },
  adfbe83f0f38796b: { has: [], open: ['illegal-levels', 'blocking'] },
  d5b992bc0fee4166: { has: [], open: [] },
  '47afa33af2d9be20': { has: [], open: ['illegal-levels', 'blocking', 'frozen', 'flicker'] },
  '8d1f5f930109e1dc': { has: [], open: [] },
  fceeb1afe730aa3a: { has: ['clipped-sound'], open: [] },
  '8e20e90a60cdfe5e': { has: [], open: ['clipped-sound'] },
  ff542dcf51e552a8: { has: ['clipped-sound'], open: [] },
  '5e58c51c4fc2368f': { has: [], open: [] },
  '02c02d33ea9dbcb9': { has: ['clipped-sound'], open: [] },
  e4ef78394755e4cf: { has: [], open: [] },
  '9fd34302a589569a': { has: ['silence'], open: [] },
  '56310ef94122124b': { has: ['soft'], open: ['blocking'] },
  '7910559ebf26b076': { has: ['blocking', 'soft'], open: [] },
  '38d5dae6d1b0c0f7': { has: ['blocking', 'soft'], open: [] },
  '91710dd894ba07c3': { has: [], open: [] },
  '42cd4a53a0adc481': { has: ['blocking', 'repeated-frames'], open: ['clipped-highlights', 'soft'] },
  fe129d341e5b1a17: { has: [], open: ['blocking'] },
  '14fd069df7ff3ba4': { has: ['blocking'], open: ['repeated-frames'] },
  b122890388c65508: { has: ['blocking'], open: [] },
  '96383b2f3824fea8': { has: ['blocking'], open: [] },
  '0f6fbf3feb2842d0': { has: ['blocking'], open: [] },
  '4ca02dfcef93603f': { has: ['blocking'], open: [] },
  '85a4c1934e97e417': { has: ['silence', 'soft'], open: ['blocking'] },
  '7d1e3de70031f8cd': { has: ['sound-length'], open: ['repeated-frames', 'cut-short'] },
  '4e1e4ddc6865976b': { has: [], open: [] },
  '9b2e157b15ace1cd': { has: [], open: [] },
  '87d372785024d815': { has: [], open: [] },
  '42fba6dd205452d5': { has: [], open: [] },
  '1a32f2934354c655': { has: [], open: ['soft'] },
  '3856974c9ae98e97': { has: ['silence'], open: [] },
  '177afa1ae7408518': { has: [], open: ['illegal-levels', 'repeated-frames', 'black'] },
}

/** The labelled files of a directory, with what was seen in each; others are left out. */
export async function lookedAtFiles(directory: string): Promise<(LookedAt & { file: string })[]> {
  const found: (LookedAt & { file: string })[] = []
  for (const name of readdirSync(directory, { recursive: true, withFileTypes: true })
    .filter(entry => entry.isFile())
    .map(entry => path.join(entry.parentPath, entry.name))
    .sort()) {
    const hash = createHash('sha256')
    await pipeline(createReadStream(name), hash)
    const label = labels[hash.digest('hex').slice(0, 16)]
    if (label) found.push({ ...label, file: name })
  }
  return found
}
