import { readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { crc32 } from 'node:zlib'
import { deriveTreatment, pictureCodec, specProblems, type PictureSpec } from '@hematine/core'
import sharp, { type Sharp } from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck } from '../../../tests/support/jobs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Stills in AVIF. The file around the picture is our own, and is read by two libraries that share nothing with it. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
const size = { width: 640, height: 480 }

const still = (profile: '10 bit' | '8 bit' = '10 bit'): PictureSpec => {
  const spec = pictureSpec('avif', 'avif', null)
  return { ...spec, video: { ...spec.video, profile, pixelFormat: profile === '8 bit' ? 'yuv420p' : 'yuv420p10le' } }
}

/** Slow slopes of red and green with waves of blue. */
function slopes({ width, height } = size): Sharp {
  const values = Uint8Array.from({ length: width * height * 3 }, (_, index) => {
    const [x, y] = [Math.floor(index / 3) % width, Math.floor(index / 3 / width)]
    return [(x * 255) / width, (y * 255) / height, 128 + 100 * Math.sin(x / 40 + y / 60)][index % 3]!
  })
  return sharp(values, { raw: { width, height, channels: 3 } })
}

/** Values as they are stored, whatever profile they are by. */
async function valuesOf(file: string): Promise<Buffer> {
  const shown = await sharp(file).keepIccProfile().png().toBuffer()
  return sharp(shown).keepIccProfile().removeAlpha().toColourspace('srgb').raw().toBuffer()
}

async function meanApart(one: string, other: string): Promise<number> {
  const [a, b] = await Promise.all([valuesOf(one), valuesOf(other)])
  expect(a.length).toBe(b.length)
  return a.reduce((sum, value, index) => sum + Math.abs(value - b[index]!), 0) / a.length
}

const notPassed = ({ lines }: Awaited<ReturnType<typeof makeAndCheck>>['check']) =>
  lines.filter(line => line.verdict !== 'pass').map(line => `${line.name}: ${line.found}, ${line.reason}`)

beforeAll(async () => {
  setUpLibraries()
  sharp.cache(false)
  await slopes().png().toFile(at('slopes.png'))
})

test.each([
  ['10 bit', 10],
  ['8 bit', 8],
] as const)('a still of %s passes its check, and other readers see its source in it', async (profile, depth) => {
  expect(specProblems(still(profile))).toEqual([])
  const file = at(`slopes-${depth}.avif`)
  const { check } = await makeAndCheck(fileAt('slopes.png'), still(profile), file)
  expect(notPassed(check)).toEqual([])
  expect(check.lines.find(line => line.name === 'container')?.found).toBe('AVIF')
  // Read back as a stream: its one packet, and no file's bytes.
  expect(check.measurement.onDisk).toMatchObject({ parts: 'packets', wanted: 1, found: 1, different: 0 })
  const read = await sharp(file).metadata()
  expect([read.format, read.compression, read.width, read.height, read.bitsPerSample]).toEqual([
    'heif',
    'av1',
    size.width,
    size.height,
    depth,
  ])
  expect(await meanApart(at('slopes.png'), file)).toBeLessThan(1.5)
})

test('colours lie where other readers look for them: as near to the source as what another encoder makes', async () => {
  const wave = Uint8Array.from({ length: size.width * size.height * 3 }, (_, index) => {
    const [x, y] = [Math.floor(index / 3) % size.width, Math.floor(index / 3 / size.width)]
    const red = Math.sin((x + y * 0.7) / 5)
    return [128 + 100 * red, 128 - 60 * red, 128 + 90 * Math.cos((x - y) / 6)][index % 3]!
  })
  const drawn = sharp(wave, { raw: { ...size, channels: 3 } })
  await drawn.clone().png().toFile(at('waves.png'))
  await drawn.clone().avif({ quality: 98, chromaSubsampling: '4:2:0' }).toFile(at('waves-other.avif'))
  const spec = still()
  const best = { ...spec, video: { ...spec.video, rateControl: { kind: 'constant quality', value: 5 } as const } }
  await makeAndCheck(fileAt('waves.png'), best, at('waves.avif'))
  const other = await meanApart(at('waves.png'), at('waves-other.avif'))
  // Beside the pixels, as films have them, they are 1.34 times as far off.
  expect(await meanApart(at('waves.png'), at('waves.avif'))).toBeLessThan(1.1 * other)
})

test('the boxes of a file follow each other to its end, and the picture lies where they say', async () => {
  const file = at('boxes.avif')
  await makeAndCheck(fileAt('slopes.png'), still(), file)
  const bytes = await readFile(file)
  const boxes: [name: string, at: number, length: number][] = []
  for (let place = 0; place < bytes.length; place += bytes.readUInt32BE(place))
    boxes.push([bytes.toString('latin1', place + 4, place + 8), place, bytes.readUInt32BE(place)])
  expect(boxes.map(([name]) => name)).toEqual(['ftyp', 'meta', 'mdat'])
  const [, data, length] = boxes[2]!
  expect(data + length).toBe(bytes.length)
  const place = bytes.indexOf('iloc') + 4
  // Version and flags, sizes, how many; then the item, where its data are kept, how many parts, and the first one's place and length.
  expect(bytes.subarray(place, place + 8)).toEqual(Buffer.from([0, 0, 0, 0, 0x44, 0, 0, 1]))
  expect([bytes.readUInt32BE(place + 14), bytes.readUInt32BE(place + 18)]).toEqual([data + 8, length - 8])
})

test('a profile of colours is kept byte for byte, and camera data without how the camera was held: the picture is upright', async () => {
  const source = fileAt('turned.jpg')
  await slopes()
    .withExif({ IFD0: { Make: 'Skerry Works', Copyright: 'Skerry Lights', Orientation: '6' } })
    .withIccProfile('p3')
    .withMetadata({ orientation: 6, icc: 'p3' })
    .jpeg({ quality: 95, chromaSubsampling: '4:4:4' })
    .toFile(source.path)
  const wanted = (await sharp(source.path).metadata()).icc!
  const file = at('turned.avif')
  const { check } = await makeAndCheck(source, { ...still(), keepsCameraData: true }, file)
  expect(notPassed(check)).toEqual([])
  const { icc, exif, width, height, orientation } = await sharp(file).metadata()
  expect(Buffer.compare(icc!, wanted)).toBe(0)
  expect(exif!.toString('latin1')).toContain('Skerry Works')
  expect([width, height, orientation ?? 1]).toEqual([size.height, size.width, 1])
  const upright = at('upright.png')
  await sharp(source.path).rotate().keepIccProfile().png().toFile(upright)
  expect(await meanApart(upright, file)).toBeLessThan(1.5)
  const without = at('plain.avif')
  await makeAndCheck(source, still(), without)
  expect((await sharp(without).metadata()).exif).toBeUndefined()
})

test('a picture of high dynamic range keeps its curve and says so', async () => {
  const source = fileAt('bright.png')
  const bytes = await slopes().toColourspace('rgb16').png().toBuffer()
  // Primaries of BT.2020, the curve PQ, red, green and blue, full range (PNG 3, cICP).
  const named = Buffer.concat([Buffer.from('cICP'), Buffer.from([9, 16, 0, 1])])
  const chunk = Buffer.concat([Buffer.from([0, 0, 0, 4]), named, Buffer.alloc(4)])
  chunk.writeUInt32BE(crc32(named), chunk.length - 4)
  const headEnd = 8 + 25
  await writeFile(source.path, Buffer.concat([bytes.subarray(0, headEnd), chunk, bytes.subarray(headEnd)]))
  const file = fileAt('bright.avif')
  const { check } = await makeAndCheck(source, still(), file.path)
  expect(notPassed(check)).toEqual([])
  const { video } = await readFacts(file)
  expect(video!.colour).toEqual({ range: 'full', primaries: 'bt2020', transfer: 'smpte2084', matrix: 'bt2020nc' })
  expect(video!.bitDepth).toBe(10)
})

describe('as a source', () => {
  test.each([
    ['4:2:0', 8],
    ['4:4:4', 8],
  ] as const)('a picture of another encoder in %s is read as it is', async (chromaSubsampling, bitdepth) => {
    const source = fileAt(`other-${chromaSubsampling.replaceAll(':', '')}.avif`)
    await slopes({ width: 301, height: 199 }).avif({ quality: 90, chromaSubsampling, bitdepth }).toFile(source.path)
    const facts = await readFacts(source)
    expect([facts.container, facts.video!.codec, facts.video!.width, facts.video!.height]).toEqual([
      'pictures',
      'av1',
      301,
      199,
    ])
    const result = at(`other-${chromaSubsampling.replaceAll(':', '')}.png`)
    const png = { ...pictureSpec('png', 'png', null) }
    const { check } = await makeAndCheck(source, png, result)
    expect(notPassed(check)).toEqual([])
    // Decoders differ in how they spread colours between pixels; with colours taken for lying beside the pixels it would be 1.24.
    expect(await meanApart(source.path, result)).toBeLessThan(1.1)
  })
})

test('odd sides lose their last row and column, and nothing else of the picture changes', async () => {
  const source = fileAt('odd.png')
  await slopes({ width: 301, height: 199 }).png().toFile(source.path)
  const file = at('odd.avif')
  const { check, treatment } = await makeAndCheck(source, still(), file)
  expect(check.lines.filter(line => line.verdict === 'fail')).toEqual([])
  expect(treatment.steps.map(step => ('why' in step ? step.why : ''))).toContain(
    'AVIF takes sides in multiples of 2 here: what is over is cut off.',
  )
  await sharp(source.path).extract({ left: 0, top: 0, width: 300, height: 198 }).png().toFile(at('odd-cut.png'))
  expect(await meanApart(at('odd-cut.png'), file)).toBeLessThan(1.5)
})

test('a picture that is made smaller has even sides, too', async () => {
  const spec = still()
  const boxed = { ...spec, video: { ...spec.video, frame: { ...spec.video.frame, maxWidth: 333, maxHeight: 333 } } }
  const { result } = deriveTreatment(await readFacts(fileAt('slopes.png')), boxed)
  expect([result.frame.width % 2, result.frame.height % 2]).toEqual([0, 0])
  expect(result.frame.width).toBeGreaterThan(330)
})

test('what its encoder does not take is refused with what to do', async () => {
  const source = fileAt('low.png')
  await slopes({ width: 640, height: 30 }).png().toFile(source.path)
  const facts = await readFacts(source)
  expect(() => deriveTreatment(facts, still())).toThrow(
    'AVIF needs at least 32x32 pixels here, not 640x30. Choose another spec, or another frame size.',
  )
  // Of moving pictures, too: the same encoder makes them.
  expect(pictureCodec('av1').sizeProblem({ width: 24, height: 640 }, null)).toMatch(/^AV1 needs at least 32x32/)
})

test.each([
  [32, 32],
  [640, 32],
  [32, 640],
])('the smallest pictures that it takes are made: %dx%d', async (width, height) => {
  const [source, file] = [fileAt(`smallest-${width}.png`), at(`smallest-${width}-${height}.avif`)]
  await slopes({ width, height }).png().toFile(source.path)
  expect(notPassed((await makeAndCheck(source, still(), file)).check)).toEqual([])
  expect(await sharp(file).metadata()).toMatchObject({ width, height })
})
