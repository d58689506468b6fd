// Makes the training sets: pairs of small damaged patches and the large clean ones they came from, as raw files.
// Usage: npx tsx tools/train/prepare.ts PICTURES SETS [set ...]
import { createWriteStream } from 'node:fs'
import { mkdir, writeFile } from 'node:fs/promises'
import { finished } from 'node:stream/promises'
import path from 'node:path'
import { seeded } from '@hematine/demo/paint'
import { setUpLibraries } from '@hematine/media'
import sharp from 'sharp'
import { degrade, shownPart, type Degradation } from './degrade.ts'
import { picturesOf, type Picture, type PictureKind } from './pictures.ts'

/** Side of a small patch; training crops 48 out of it at a random place. */
const side = 56

interface TrainingSet {
  kind: PictureKind
  scale: 1 | 2
  patches: number
  /** Times that each picture is damaged anew. */
  rounds: number
  degradation: (random: () => number) => Degradation
  /** Part of the pictures that are softened first, also as what is wanted: what is soft must stay soft. */
  soft: number
}

const between = (random: () => number, low: number, high: number) => low + (high - low) * random()
const clean = (random: () => number): Degradation => ({ reduce: random() < 0.5 ? 'area' : 'cubic', blur: random() < 0.35 ? between(random, 0.4, 0.9) : 0, noise: random() < 0.2 ? between(random, 0, 1.5) : 0, codec: null })

/** Compression as old discs, early camera files and downloads have it, with a little noise before it. */
function compressed(random: () => number): Degradation {
  const encoder = (['mpeg2video', 'mpeg2video', 'mpeg4', 'mpeg4', 'mjpeg', 'libx264'] as const)[Math.floor(random() * 6)]!
  const quality = encoder === 'libx264' ? Math.round(between(random, 22, 34)) : between(random, 2, encoder === 'mjpeg' ? 8 : 9)
  return { ...clean(random), noise: random() < 0.4 ? between(random, 0, 4) : 0, codec: { encoder, quality } }
}

/** Drawings come clean as often as lightly compressed. */
const drawnMix = (random: () => number): Degradation => random() < 0.5 ? clean(random) : { ...compressed(random), noise: 0 }

const sets: Record<string, TrainingSet> = {
  'clean': { kind: 'photographs', scale: 2, patches: 32_000, rounds: 4, degradation: clean, soft: 0.2 },
  'compressed': { kind: 'photographs', scale: 2, patches: 24_000, rounds: 8, degradation: compressed, soft: 0.15 },
  'drawn': { kind: 'drawn', scale: 2, patches: 9000, rounds: 2, degradation: drawnMix, soft: 0 },
  'clean-up': { kind: 'photographs', scale: 1, patches: 12_000, rounds: 12, degradation: compressed, soft: 0.15 },
}

setUpLibraries()
const [pictures, output, ...wanted] = process.argv.slice(2)
if (!pictures || !output) throw new Error('Usage: prepare.ts PICTURES SETS [set ...]')
await mkdir(output, { recursive: true })
for (const [name, set] of Object.entries(sets)) {
  if (wanted.length > 0 && !wanted.includes(name)) continue
  const random = seeded(name.length * 1009)
  const count = await countOf(picturesOf(pictures, set.kind, 'training'))
  const each = Math.ceil(set.patches / (count * set.rounds))
  const [small, large] = ['small', 'large'].map(part => createWriteStream(path.join(output, `${name}.${part}`)))
  let made = 0
  for await (const sharpest of picturesOf(pictures, set.kind, 'training')) {
    for (let round = 0; round < set.rounds; round++) {
      const picture = random() < set.soft ? await softened(sharpest, between(random, 0.8, 2.5)) : sharpest
      const how = set.degradation(random)
      const damaged = await degrade(picture, how, random)
      // A 1x network learns what the small picture was before its damage.
      const target = set.scale === 2 ? await shownPart(picture, damaged, 2) : (await degrade(picture, { ...how, noise: 0, codec: null }, random)).data
      const width = damaged.width * set.scale
      for (let patch = 0; patch < each; patch++) {
        const [x, y] = [Math.floor(random() * (damaged.width - side)), Math.floor(random() * (damaged.height - side))]
        const part = cut(target, width, x * set.scale, y * set.scale, side * set.scale)
        // Flat patches teach little; one in three is kept so that flat stays flat.
        if (spread(part) < 4 && random() > 0.33) continue
        small!.write(cut(damaged.data, damaged.width, x, y, side))
        large!.write(part)
        made++
      }
    }
  }
  for (const stream of [small!, large!]) await finished(stream.end())
  await writeFile(path.join(output, `${name}.json`), JSON.stringify({ patches: made, side, scale: set.scale }))
  console.log(`${name}: ${made} patches from ${count} pictures`)
}

/** A picture as a lens out of focus shows it. */
async function softened(picture: Picture, blur: number): Promise<Picture> {
  const { width, height } = picture
  return { ...picture, data: await sharp(picture.data, { raw: { width, height, channels: 3 } }).blur(blur).raw().toBuffer() }
}

function cut(data: Buffer, width: number, x: number, y: number, size: number): Buffer {
  const part = Buffer.alloc(size * size * 3)
  for (let row = 0; row < size; row++) data.copy(part, row * size * 3, ((y + row) * width + x) * 3, ((y + row) * width + x + size) * 3)
  return part
}

/** Standard deviation of a patch's green. */
function spread(part: Buffer): number {
  let [sum, squares] = [0, 0]
  for (let at = 1; at < part.length; at += 3) {
    sum += part[at]!
    squares += part[at]! ** 2
  }
  const count = part.length / 3
  return Math.sqrt(Math.max(0, squares / count - (sum / count) ** 2))
}

async function countOf(list: AsyncIterable<unknown>): Promise<number> {
  let count = 0
  for await (const _ of list) count++
  return count
}
