import { mkdir, readFile, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { crc32 } from 'node:zlib'
import { containers, deriveTreatment, type Container, type NumberedSequence } from '@hematine/core'
import sharp, { type Sharp } from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureSource, readFacts, setUpLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Pictures as cameras, scanners and press houses leave them. They are written and read by another library than the one that is tested. */
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })
const still = (container: Container) => ({
  ...pictureSpec(container, containers[container].picture[0]!, null),
  name: 'One picture',
})

/** Slopes of red, green and blue, each along another way. */
function slopes(width: number, height: number): Sharp {
  const data = new Uint8Array(width * height * 3)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      data.set(
        [
          (x * 255) / Math.max(1, width - 1),
          (y * 255) / Math.max(1, height - 1),
          ((x + y) * 255) / Math.max(1, width + height - 2),
        ],
        (y * width + x) * 3,
      )
  return sharp(data, { raw: { width, height, channels: 3 } })
}

const valuesOf = (file: string) => sharp(file).removeAlpha().toColourspace('srgb').raw().toBuffer()

/** Mean and largest difference of the values of two pictures of one size. */
async function apart(one: string, other: string): Promise<{ mean: number; most: number }> {
  const [a, b] = await Promise.all([valuesOf(one), valuesOf(other)])
  expect(a.length).toBe(b.length)
  const differences = a.map((value, index) => Math.abs(value - b[index]!))
  return {
    mean: differences.reduce((sum, value) => sum + value, 0) / a.length,
    most: differences.reduce((most, value) => Math.max(most, value), 0),
  }
}

beforeAll(() => {
  setUpLibraries()
  // A file that is made again is another one.
  sharp.cache(false)
})

describe('what is not red, green and blue is refused with what to do', () => {
  test.each([
    ['inks.jpg', () => slopes(301, 199).toColourspace('cmyk').jpeg(), /colours of inks \(CMYK\)/],
    ['inks.tif', () => slopes(301, 199).toColourspace('cmyk').tiff({ compression: 'lzw' }), /colours of inks \(CMYK\)/],
    ['lab.tif', () => slopes(301, 199).toColourspace('lab').tiff({ compression: 'lzw' }), /colours of CIE Lab/],
    ['jpeg-inside.tif', () => slopes(301, 199).tiff({ compression: 'jpeg' }), /a TIFF with JPEG inside/],
  ] as const)('%s', async (name, make, sentence) => {
    await make().toFile(at(name))
    await expect(readFacts(fileAt(name))).rejects.toThrow(sentence)
    await expect(readFacts(fileAt(name))).rejects.toThrow(/Save a copy in red, green and blue/)
  })
})

describe('pictures of odd sizes', () => {
  // Four colours of 2x2 pixels become one in 4:2:0: lossy formats cannot hold them.
  const sizes = [
    [1, 1],
    [2, 2],
    [3, 5],
    [301, 199],
  ] as const
  test.each(
    sizes.flatMap(([width, height]) =>
      (width === 2 ? (['png', 'tif'] as const) : (['png', 'tif', 'jpg', 'webp'] as const)).map(
        to => [width, height, to] as const,
      ),
    ),
  )('of %i x %i pixels keep size and colours as %s', async (width, height, container) => {
    const source = fileAt(`odd-${width}-source.png`)
    await slopes(width, height).png().toFile(source.path)
    const result = at(`odd-${width}.${container}`)
    const { check } = await makeAndCheck(source, still(container), result)
    expect(check.verdict).toBe('pass')
    expect((await sharp(result).metadata()).height).toBe(height)
    const isLossless = container === 'png' || container === 'tif'
    const { mean } = await apart(source.path, result)
    // Of 4:2:0 the colours of two pixels are one; on a slope as slow as that of the large picture this is little.
    if (isLossless || width > 100) expect(mean).toBeLessThanOrEqual(isLossless ? 0 : 2)
  })

  test.each(sizes)('of %i x %i pixels become JPEG XL without loss, and come back the same', async (width, height) => {
    const source = fileAt(`xl-${width}.png`)
    await slopes(width, height).png().toFile(source.path)
    const [exact, back] = [fileAt(`xl-${width}.jxl`), at(`xl-${width}-back.png`)]
    expect((await makeAndCheck(source, still('jxl'), exact.path)).check.verdict).toBe('pass')
    expect((await makeAndCheck(exact, still('png'), back)).check.verdict).toBe('pass')
    expect((await apart(source.path, back)).mean).toBe(0)
  })

  test('as JPEG XL at the distance that is just not noticed are a fraction in size, and near', async () => {
    const source = fileAt('xl-source.png')
    await slopes(301, 199).png().toFile(source.path)
    const spec = still('jxl')
    spec.video.rateControl = { kind: 'constant quality', value: 1 }
    const [near, back] = [fileAt('near.jxl'), at('near-back.png')]
    expect((await makeAndCheck(source, spec, near.path)).check.verdict).toBe('pass')
    await makeAndCheck(near, still('png'), back)
    expect((await apart(source.path, back)).mean).toBeLessThan(1.5)
    expect((await stat(near.path)).size).toBeLessThan((await stat(source.path)).size / 2)
  })

  test('a JPEG of odd sides becomes PNG as another decoder has it', async () => {
    const source = fileAt('photograph.jpg')
    await slopes(301, 199).jpeg({ quality: 92 }).toFile(source.path)
    const result = at('photograph.png')
    const { check } = await makeAndCheck(source, still('png'), result)
    expect(check.verdict).toBe('pass')
    // Decoders differ in how they spread colours between their pixels; half a pixel of offset would be 1 code and more.
    expect((await apart(source.path, result)).mean).toBeLessThan(0.8)
  })
})

test.each([
  ['png', 0],
  ['avif', 1.5],
] as const)(
  'a PNG that states a curve of 2.2, as paint programs do, becomes %s with the same values',
  async (to, most) => {
    const source = fileAt('curve-stated.png')
    const bytes = await slopes(300, 200).png().toBuffer()
    // One over 2.2 in hundred thousandths (PNG 3, gAMA), right behind the head.
    const named = Buffer.concat([Buffer.from('gAMA'), Buffer.from([0, 0, 0xb1, 0x8f])])
    const chunk = Buffer.concat([Buffer.from([0, 0, 0, 4]), named, Buffer.alloc(4)])
    chunk.writeUInt32BE(crc32(named), chunk.length - 4)
    await writeFile(source.path, Buffer.concat([bytes.subarray(0, 33), chunk, bytes.subarray(33)]))
    const result = at(`curve.${to}`)
    expect((await makeAndCheck(source, still(to), result)).check.verdict).toBe('pass')
    await slopes(300, 200).png().toFile(at('curve-plain.png'))
    const plain = await valuesOf(at('curve-plain.png'))
    // Values as they are stored: who reads a curve may show them by it.
    const stored = await sharp(result).removeAlpha().raw({ depth: 'uchar' }).toBuffer()
    if (to === 'png') expect(Buffer.compare(stored, plain)).toBe(0)
    else expect((await apart(at('curve-plain.png'), result)).mean).toBeLessThan(most)
  },
)

test('a grey JPEG keeps its shades: they go from black to white', async () => {
  const source = fileAt('grey.jpg')
  await slopes(300, 200).toColourspace('b-w').jpeg({ quality: 95 }).toFile(source.path)
  const result = at('grey.png')
  const { check } = await makeAndCheck(source, still('png'), result)
  expect(check.verdict).toBe('pass')
  expect((await apart(source.path, result)).most).toBeLessThanOrEqual(2)
})

describe('a JPEG that was cut short', () => {
  const cut = async (name: string) => {
    const whole = await slopes(300, 200).jpeg({ quality: 90 }).toBuffer()
    await writeFile(at(name), whole.subarray(0, whole.length >> 1))
  }

  test('is found when it is measured, and its result asks for a look', async () => {
    await cut('cut.jpg')
    const facts = await readFacts(fileAt('cut.jpg'))
    const { measurement } = await measureSource(fileAt('cut.jpg'), facts, 'sampled', openGate)
    expect(measurement.picture!.windows.map(window => window.errors)).toEqual([1])
    const { check } = await makeAndCheck(fileAt('cut.jpg'), still('png'), at('cut.png'))
    expect(check.lines.filter(line => line.verdict !== 'pass').map(line => line.name)).toEqual(['source decodes'])
    expect(check.verdict).toBe('look')
  })

  test('is found among the pictures of a sequence', async () => {
    await mkdir(at('frames'))
    for (let number = 1; number <= 12; number++)
      await slopes(64, 48)
        .jpeg()
        .toFile(at(`frames/f${String(number).padStart(2, '0')}.jpg`))
    await cut('frames/f07.jpg')
    const whole = await readFile(at('frames/f01.jpg'))
    await writeFile(at('frames/f07.jpg'), whole.subarray(0, whole.length - 200))
    const sequence: NumberedSequence = {
      prefix: 'f',
      suffix: '.jpg',
      padding: 2,
      first: 1,
      last: 12,
      missing: [],
    }
    const input: MediaInput = { kind: 'sequence', directory: at('frames'), sequence, frameRate: { num: 25, den: 1 } }
    const facts = await readFacts(input)
    const { measurement } = await measureSource(input, facts, 'sampled', openGate)
    expect(measurement.picture!.windows.reduce((sum, window) => sum + window.errors, 0)).toBe(1)
    const { check } = await makeAndCheck(input, pictureSpec('mkv', 'ffv1', null), at('frames.mkv'))
    expect([check.verdict, check.measurement.sourceDecodeErrors]).toEqual(['look', 1])
  })
})

describe('a profile of colours', () => {
  const source = fileAt('wide.tif')
  let profile: Buffer
  beforeAll(async () => {
    await slopes(64, 48).withIccProfile('p3').tiff({ compression: 'lzw' }).toFile(source.path)
    profile = (await sharp(source.path).metadata()).icc!
  })

  test('is named in the facts', async () => {
    expect((await readFacts(source)).video!.profileName).toMatch(/P3/)
  })

  test.each(['png', 'tif', 'jpg', 'webp'] as const)('is kept, byte for byte, in %s', async container => {
    const result = at(`wide-kept.${container}`)
    const { check, treatment } = await makeAndCheck(source, still(container), result)
    expect(check.verdict).toBe('pass')
    const { icc, width, height } = await sharp(result).metadata()
    expect([icc && Buffer.compare(icc, profile), width, height]).toEqual([0, 64, 48])
    expect(treatment.notes?.join(' ') ?? '').not.toMatch(/by its profile/)
  })

  test.each(['exr', 'dpx'] as const)('is said to be lost in %s, which holds none', async container => {
    expect(deriveTreatment(await readFacts(source), still(container)).notes!.join(' ')).toMatch(
      /The source's colours are by its profile \(.*P3.*\), which One picture does not hold/,
    )
  })
})
