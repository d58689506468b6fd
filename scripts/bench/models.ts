import { execFileSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { seeded } from '@hematine/demo/paint'
import { setUpLibraries } from '@hematine/media'
import { compareRgb, enlargeRgb } from '@hematine/media/stills/rgb-compare'
import { Network, networks, weightsOf, type NetworkName } from '@hematine/media/ground/network'
import { degrade, shownPart, type Degradation } from '../../tools/train/degrade.ts'
import { picturesOf, type Picture, type PictureKind } from '../../tools/train/pictures.ts'
import { projectDirectory } from '../lib/bootstrap.mjs'

const plain: Degradation = { reduce: 'cubic', blur: 0, noise: 0, codec: null }
/** Kinds of damage that the networks are judged on, with names for the table. */
const damages: Record<string, Degradation> = {
  'clean, textbook reduction': plain,
  'clean, averaged (camera, scanner)': { ...plain, reduce: 'area' },
  'clean, optical blur': { ...plain, reduce: 'area', blur: 0.8 },
  'noise, 3 codes': { ...plain, reduce: 'area', noise: 3 },
  'MPEG-2, quantizer 4': { ...plain, reduce: 'area', codec: { encoder: 'mpeg2video', quality: 4 } },
  'MPEG-2, quantizer 8': { ...plain, reduce: 'area', codec: { encoder: 'mpeg2video', quality: 8 } },
  'MPEG-4 part 2, quantizer 6': { ...plain, reduce: 'area', codec: { encoder: 'mpeg4', quality: 6 } },
  'JPEG, quantizer 5': { ...plain, reduce: 'area', codec: { encoder: 'mjpeg', quality: 5 } },
  'H.264, CRF 28': { ...plain, reduce: 'area', codec: { encoder: 'libx264', quality: 28 } },
}

interface Gain {
  psnr: number
  ssim: number
  worst: number
  worstName: string
  below: number
  count: number
}

/** Gains of a network over Lanczos on all held-out pictures of a kind, damaged in one way. */
async function gainOf(
  network: Network,
  pictures: readonly Picture[],
  how: Degradation,
): Promise<Gain & { base: number }> {
  const gain = { psnr: 0, ssim: 0, worst: Number.POSITIVE_INFINITY, worstName: '', below: 0, count: 0, base: 0 }
  for (const [index, picture] of pictures.entries()) {
    const small = await degrade(picture, how, seeded(index + 1))
    const width = small.width * network.scale
    const target =
      network.scale === 2
        ? { width, height: small.height * 2, data: await shownPart(picture, small, 2) }
        : await degrade(picture, { ...how, noise: 0, codec: null }, seeded(index + 1))
    const lanczos = network.scale === 2 ? await enlargeRgb(small, width, small.height * 2) : small
    const learned = await network.run(small, 1)
    const [before, after] = [
      await compareRgb(lanczos, target),
      await compareRgb({ ...learned, data: Buffer.from(learned.data.buffer) }, target),
    ]
    const difference = after.psnr - before.psnr
    gain.psnr += difference
    gain.base += before.psnr
    gain.ssim += after.ssim - before.ssim
    gain.count++
    if (difference < -0.1) gain.below++
    if (difference < gain.worst) Object.assign(gain, { worst: difference, worstName: picture.name })
  }
  for (const key of ['psnr', 'ssim', 'base'] as const) gain[key] /= gain.count
  return gain
}

/** Milliseconds for each megapixel of the small picture: the best of some runs, so that other work on the machine counts little. */
async function speedOf(network: Network): Promise<{ perMegapixel: number; framesPerSecond: number }> {
  const frame = { width: 720, height: 576, data: new Uint8Array(720 * 576 * 3).map((_, index) => (index * 7919) % 251) }
  await network.run(frame, 1)
  let best = Number.POSITIVE_INFINITY
  for (let run = 0; run < 8; run++) {
    const begun = performance.now()
    await network.run(frame, 1)
    best = Math.min(best, performance.now() - begun)
  }
  return { perMegapixel: best / ((720 * 576) / 1e6), framesPerSecond: 1000 / best }
}

async function all(pictures: AsyncIterable<Picture>): Promise<Picture[]> {
  const list: Picture[] = []
  for await (const picture of pictures) list.push(picture)
  return list
}

/** Judges networks by name, or every one and writes docs/models.md. The pictures are fetched as Debian packages when they are not there yet. */
export async function benchModels(wanted: readonly string[]): Promise<void> {
  setUpLibraries()
  const directory = path.join(projectDirectory, '.hematine', 'pictures')
  execFileSync('bash', [path.join(projectDirectory, 'tools/train/fetch-pictures.sh'), directory], {
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  const held = (kind: PictureKind) => all(picturesOf(directory, kind, 'judging'))
  const pictures: Record<PictureKind, Picture[]> = {
    photographs: await held('photographs'),
    rendered: await held('rendered'),
    drawn: await held('drawn'),
  }
  console.log(
    `${pictures.photographs.length} photographs, ${pictures.rendered.length} rendered pictures and ${pictures.drawn.length} drawings, none of them seen in training`,
  )
  const rows: string[] = []
  const speeds: string[] = []
  for (const name of Object.keys(networks) as NetworkName[]) {
    if (wanted.length > 0 && !wanted.includes(name)) continue
    const network = await Network.open(name, 'cpu')
    const { perMegapixel, framesPerSecond } = await speedOf(network)
    const bytes = readFileSync(weightsOf(name)).length
    speeds.push(
      `| ${name} | ${networks[name].scale}x | ${Math.round(bytes / 1000)} kB | ${perMegapixel.toFixed(0)} | ${framesPerSecond.toFixed(1)} |`,
    )
    const kinds = Object.entries(damages).filter(([words]) =>
      name.startsWith('clean-') && name !== 'clean-up'
        ? !/MPEG|JPEG|H\.264/.test(words)
        : name.startsWith('drawn')
          ? true
          : !words.startsWith('clean'),
    )
    const of: PictureKind[] = name.startsWith('drawn') ? ['drawn'] : ['photographs', 'rendered']
    for (const [kind, words, how] of of.flatMap(kind => kinds.map(([words, how]) => [kind, words, how] as const))) {
      const gain = await gainOf(network, pictures[kind], how)
      rows.push(
        `| ${name} | ${kind} | ${words} | ${gain.base.toFixed(2)} | ${gain.psnr >= 0 ? '+' : ''}${gain.psnr.toFixed(2)} | ${gain.ssim >= 0 ? '+' : ''}${gain.ssim.toFixed(4)} | ${gain.worst >= 0 ? '+' : ''}${gain.worst.toFixed(2)} | ${gain.below} of ${gain.count} |`,
      )
      console.log(`${rows.at(-1)} (${gain.worstName})`)
    }
    await network.close()
  }
  for (const row of speeds) console.log(row)
  if (wanted.length > 0) return
  const file = path.join(projectDirectory, 'docs/models.md')
  const text = readFileSync(file, 'utf8')
  const table = [
    '| network | pictures | damage | Lanczos, dB | PSNR gain, dB | SSIM gain | worst picture, dB | below by over 0.1 dB |',
    '|---|---|---|---|---|---|---|---|',
    ...rows,
    '',
    '| network | scale | weights | ms for a megapixel in | 720x576 frames a second |',
    '|---|---|---|---|---|',
    ...speeds,
  ].join('\n')
  writeFileSync(
    file,
    text.replace(
      /<!-- figures -->[\s\S]*<!-- end of figures -->/,
      `<!-- figures -->\n${table}\n<!-- end of figures -->`,
    ),
  )
}
