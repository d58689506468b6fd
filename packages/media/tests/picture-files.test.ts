import { createHash } from 'node:crypto'
import { appendFile, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  containers,
  deriveTreatment,
  pictureCodec,
  specProblems,
  type Container,
  type Moment,
  type PictureSpec,
  type Step,
} from '@hematine/core'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  lookFile,
  measureResult,
  readFacts,
  runTrialMoment,
  setUpLibraries,
  transcode,
  trialLook,
  type MediaInput,
} from '../src/index.ts'
import { momentFile } from '../src/volumes/trial-files.ts'
import { readExr } from '../../../tests/support/exr.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Pictures in files of their own: sequences and stills. They are read by another library than wrote them, or byte by byte. */
const scratch = scratchDirectory()
const at = (...names: string[]) => path.join(scratch, ...names)
const fileAt = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: at(name) })

const clip = fileAt('stripes.mkv')
/** Wider than 1024, which is BT.709 where a file does not say. */
const [width, height, frames] = [1040, 36, 12]
/**
 * Stripes of white, grey, red and black in BT.709, limited range. Red is (255, 0, 0) by ITU-R BT.709: Y' = 16 + 219 x 0.2126 = 63,
 * Cb = 128 - 224 x 0.2126 / 1.8556 = 102, Cr = 240, to within one code of rounding. Grey of code 126 is (126 - 16) / 219 of white.
 */
const stripes = { white: [255, 255, 255], grey: [128, 128, 128], red: [255, 0, 0], black: [0, 0, 0] }
const names = Object.keys(stripes) as (keyof typeof stripes)[]
const inStripe = (index: number) => Math.round((width / 4) * (index + 0.5))

beforeAll(async () => {
  setUpLibraries()
  const by = (white: number, grey: number, red: number, black: number) =>
    `if(lt(X,260),${white},if(lt(X,520),${grey},if(lt(X,780),${red},${black})))`
  await writeClip({
    path: clip.path,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `nullsrc=s=${width}x${height}:r=25,format=yuv444p,geq=lum='${by(235, 126, 63, 16)}':cb='${by(128, 128, 102, 128)}':cr='${by(128, 128, 240, 128)}',trim=end_frame=${frames},setparams=range=limited:color_primaries=bt709:color_trc=bt709:colorspace=bt709,setsar=1`,
    },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: `sine=frequency=440:sample_rate=48000:duration=${frames / 25},aformat=sample_fmts=s16:channel_layouts=stereo`,
      },
    ],
  })
})

const sequence = (codec: string, sound: string | null = null) => ({
  ...pictureSpec('images', codec, sound),
  name: 'Frames',
})
const still = (container: Container) => ({
  ...pictureSpec(container, containers[container].picture[0]!, null),
  name: 'One picture',
})
const notPassed = (check: Awaited<ReturnType<typeof makeAndCheck>>['check']) =>
  check.lines.filter(line => line.verdict !== 'pass').map(line => `${line.name}: ${line.found}. ${line.reason}`)

/** Colours in the middle of each stripe of a picture, as another library reads it. */
async function coloursOf(file: string): Promise<Record<string, number[]>> {
  const { data, info } = await sharp(file)
    .removeAlpha()
    .toColourspace('srgb')
    .raw()
    .toBuffer({ resolveWithObject: true })
  const row = Math.floor(info.height / 2)
  return Object.fromEntries(
    names.map((name, index) => {
      const from = (row * info.width + Math.round((info.width / 4) * (index + 0.5))) * info.channels
      return [name, [...data.subarray(from, from + 3)]]
    }),
  )
}

/** Largest difference of any part of any colour. */
function apart(a: Record<string, number[]>, b: Record<string, number[]>): number {
  return Math.max(...names.flatMap(name => a[name]!.map((value, part) => Math.abs(value - b[name]![part]!))))
}

const sequences = ['png', 'tiff', 'exr', 'dpx', 'mjpeg'].flatMap(codec =>
  pictureCodec(codec).profiles.map(profile => [codec, profile.key] as const),
)

describe('an image sequence', () => {
  test.each(sequences)('in %s, %s, is delivered whole in a folder and passes its check', async (codec, profile) => {
    const spec = sequence(codec)
    spec.video = {
      ...spec.video,
      profile,
      pixelFormat: pictureCodec(codec).profiles.find(entry => entry.key === profile)!.pixelFormats[0]!,
    }
    expect(specProblems(spec)).toEqual([])
    const folder = at(`${codec}-${profile.replace(/\W/g, '')}`)
    const { check } = await makeAndCheck(clip, spec, folder)
    expect(notPassed(check)).toEqual([])
    const ending = { png: 'png', tiff: 'tif', exr: 'exr', dpx: 'dpx', mjpeg: 'jpg' }[codec]
    expect((await readdir(folder)).sort()).toEqual([
      'checksums.sha256',
      ...Array.from({ length: frames }, (_, index) => `picture.${String(index + 1).padStart(4, '0')}.${ending}`),
    ])
  })

  test("holds a list of checksums that is right, and whose own is the result's", async () => {
    const folder = at('png-8bit')
    const list = await readFile(path.join(folder, 'checksums.sha256'), 'utf8')
    const lines = list.trimEnd().split('\n')
    expect(lines).toHaveLength(frames)
    for (const line of lines) {
      const [sha256, name] = line.split('  ') as [string, string]
      expect(sha256).toBe(
        createHash('sha256')
          .update(await readFile(path.join(folder, name)))
          .digest('hex'),
      )
    }
    const measured = await measureAgain('png', 'png-8bit')
    expect(measured.sha256).toBe(createHash('sha256').update(list).digest('hex'))
  })

  test.each([
    ['png-8bit', 'picture.0007.png', 1],
    ['png-16bit', 'picture.0007.png', 1],
    ['tiff-8bit', 'picture.0007.tif', 1],
    ['tiff-16bit', 'picture.0007.tif', 1],
    ['mjpeg-444', 'picture.0007.jpg', 3],
    ['mjpeg-420', 'picture.0007.jpg', 3],
  ])('of %s shows the colours of the source', async (folder, name, tolerance) => {
    expect(apart(await coloursOf(at(folder, name)), stripes)).toBeLessThanOrEqual(tolerance)
  })

  test.each(['half', 'float'])(
    'of OpenEXR, %s, is in linear light: white is 1, and grey what BT.1886 makes of it',
    async kind => {
      const picture = readExr(await readFile(at(`exr-${kind}`, 'picture.0001.exr')))
      expect([picture.width, picture.height]).toEqual([width, height])
      const coloursAt = (stripe: number) => ['R', 'G', 'B'].map(name => picture.at(name, inStripe(stripe), height / 2))
      const grey = ((126 - 16) / 219) ** 2.4
      const expected = [
        [1, 1, 1],
        [grey, grey, grey],
        [1, 0, 0],
        [0, 0, 0],
      ]
      for (const [stripe, colour] of expected.entries())
        for (const [index, value] of coloursAt(stripe).entries())
          expect(Math.abs(value - colour[index]!)).toBeLessThan(0.005)
    },
  )

  test('of DPX says that its colours are those of BT.709, and holds them in 10 bits', async () => {
    const bytes = await readFile(at('dpx-10bit', 'picture.0001.dpx'))
    expect(bytes.toString('latin1', 0, 4)).toBe('XPDS')
    // SMPTE ST 268-1: in this order of letters numbers have their lowest byte first. Descriptor 50 is R, G, B; 6 is BT.709; filled to 32 bits, the first sample in the highest bits.
    expect([bytes[800], bytes[801], bytes[802], bytes[803]]).toEqual([50, 6, 6, 10])
    const offset = bytes.readUInt32LE(4)
    const samples = (x: number) => {
      const word = bytes.readUInt32LE(offset + (18 * width + x) * 4)
      return [word >>> 22, (word >>> 12) & 1023, (word >>> 2) & 1023]
    }
    expect(samples(inStripe(0))).toEqual([1023, 1023, 1023])
    expect(samples(inStripe(1)).map(value => Math.abs(value - (110 / 219) * 1023) < 1)).toEqual([true, true, true])
    expect(samples(inStripe(3))).toEqual([0, 0, 0])
  })

  test('has its sound beside it, sample for sample, and its numbers as the spec wants them', async () => {
    const spec: PictureSpec = { ...sequence('png', 'pcm_s16le'), numbering: { first: 1001, digits: 6 } }
    const folder = at('with-sound')
    const { check } = await makeAndCheck(clip, spec, folder)
    expect(notPassed(check)).toEqual([])
    const files = (await readdir(folder)).sort()
    expect([files[0], files[1], files[frames], files[frames + 1]]).toEqual([
      'checksums.sha256',
      'picture.001001.png',
      'picture.001012.png',
      'picture.sound-1.wav',
    ])
    // A sine of 440 Hz and an eighth of full scale, as the library draws it, spread over two speakers at equal power.
    const mixed = (32_768 / 8) * Math.SQRT1_2
    const wav = await readFile(path.join(folder, 'picture.sound-1.wav'))
    const data = wav.indexOf('data') + 8
    expect(wav.readUInt32LE(data - 4)).toBe((frames / 25) * 48_000 * 4)
    const differences = Array.from({ length: 2000 }, (_, index) =>
      Math.abs(wav.readInt16LE(data + index * 4) - mixed * Math.sin((2 * Math.PI * 440 * index) / 48_000)),
    )
    expect(Math.max(...differences)).toBeLessThan(3)
  })

  test('leaves the sound out where the spec has none, and says so', async () => {
    const treatment = deriveTreatment(await readFacts(clip), sequence('png'))
    expect(treatment.notes).toEqual(['Frames has no sound: the sound track of the source stays out.'])
  })

  test('of a sequence keeps every sample of every picture', async () => {
    const folder = at('drawn')
    await mkdir(folder)
    const noise = (seed: number) =>
      Uint8Array.from({ length: 66 * 35 * 3 }, (_, index) => ((index + 1) * (seed + 7) * 2_654_435_761) >>> 24)
    for (const number of [1, 2, 3])
      await sharp(noise(number), { raw: { width: 66, height: 35, channels: 3 } })
        .png()
        .toFile(path.join(folder, `still_${number}.png`))
    const input: MediaInput = {
      kind: 'sequence',
      directory: folder,
      sequence: { prefix: 'still_', suffix: '.png', padding: 1, first: 1, last: 3, missing: [] },
      frameRate: { num: 24, den: 1 },
    }
    const { check } = await makeAndCheck(input, sequence('tiff'), at('drawn-tiff'))
    expect(notPassed(check)).toEqual([])
    expect(check.lines.find(line => line.name === 'likeness')?.found).toBe('every frame identical')
    for (const number of [1, 2, 3]) {
      const { data } = await sharp(at('drawn-tiff', `picture.000${number}.tif`))
        .raw()
        .toBuffer({ resolveWithObject: true })
      expect(Buffer.compare(data, noise(number))).toBe(0)
    }
  })

  test.each([
    ['a file of it changed', (folder: string) => appendFile(path.join(folder, 'picture.0003.png'), 'x')],
    ['a file of it went', (folder: string) => rm(path.join(folder, 'picture.0012.png'))],
    ['a file came into it', (folder: string) => writeFile(path.join(folder, 'picture.0013.txt'), 'x')],
  ])('does not pass when %s', async (_, harm) => {
    const folder = at(`harmed-${harm.toString().length}`)
    await makeAndCheck(clip, sequence('png'), folder)
    await harm(folder)
    await expect(measureAgain('png', path.basename(folder))).rejects.toThrow(/folder/)
  })

  async function measureAgain(codec: string, folder: string) {
    const facts = { ...(await readFacts(clip)), audio: [] }
    const spec = sequence(codec)
    const plan = { input: clip, facts, treatment: deriveTreatment(facts, spec), spec, outputPath: at(folder) }
    return measureResult(plan, openGate, () => undefined)
  }
})

describe('a still', () => {
  const picture = fileAt('picture.png')
  const side = { width: 641, height: 481 }
  beforeAll(async () => {
    const data = Uint8Array.from({ length: side.width * side.height * 3 }, (_, index) => {
      const x = Math.floor(index / 3) % side.width
      return stripes[names[Math.floor((x * 4) / side.width)]!][index % 3]!
    })
    await sharp(data, { raw: { ...side, channels: 3 } })
      .png()
      .toFile(picture.path)
  })

  test.each([
    ['png', 0],
    ['tif', 0],
    ['jpg', 3],
    ['webp', 4],
  ] as const)('as %s has the size and the colours of its source, odd sides and all', async (container, tolerance) => {
    const spec = still(container)
    expect(specProblems(spec)).toEqual([])
    const file = at(`still.${container}`)
    const { check } = await makeAndCheck(picture, spec, file)
    expect(notPassed(check)).toEqual([])
    const read = await sharp(file).metadata()
    expect([read.width, read.height]).toEqual([side.width, side.height])
    expect(apart(await coloursOf(file), stripes)).toBeLessThanOrEqual(tolerance)
  })

  test.each(['exr', 'dpx', 'jxl'] as const)('as %s passes its check', async container => {
    const { check } = await makeAndCheck(picture, still(container), at(`still.${container}`))
    expect(notPassed(check)).toEqual([])
  })

  test.each(['png', 'tif', 'jpg'] as const)('as %s states its dots per inch', async container => {
    const file = at(`print.${container}`)
    await makeAndCheck(picture, { ...still(container), dotsPerInch: 300 }, file)
    expect(Math.round((await sharp(file).metadata()).density!)).toBe(300)
  })

  test('that its file turns stands upright in the result, and is not turned once more', async () => {
    const turned = fileAt('turned.jpg')
    // The first stripe is at the left of what is stored; turned to the right by 90 degrees it is on top.
    await sharp(picture.path)
      .jpeg({ quality: 95, chromaSubsampling: '4:4:4' })
      .withMetadata({ orientation: 6 })
      .toFile(turned.path)
    const file = at('upright.png')
    const { check } = await makeAndCheck(turned, still('png'), file)
    expect(notPassed(check)).toEqual([])
    const read = await sharp(file).metadata()
    expect([read.width, read.height, read.orientation ?? 1]).toEqual([side.height, side.width, 1])
    const { data, info } = await sharp(file).raw().toBuffer({ resolveWithObject: true })
    const middleOf = (part: number) => {
      const from = (Math.floor(info.height * part) * info.width + 200) * info.channels
      return [...data.subarray(from, from + 3)]
    }
    expect(Math.min(...middleOf(0.1))).toBeGreaterThan(250)
    expect(Math.max(...middleOf(0.9))).toBeLessThan(5)
  })

  test.each([
    ['png', true],
    ['jpg', true],
    ['png', false],
    ['jpg', false],
  ] as const)('as %s keeps what its camera said of it, where the spec has it so: %s', async (container, keeps) => {
    const source = fileAt('camera.jpg')
    await sharp(picture.path)
      .withExif({ IFD0: { Make: 'Skerry Works', Copyright: 'Skerry Lights' } })
      .withMetadata({ orientation: 8 })
      .jpeg()
      .toFile(source.path)
    const file = at(`camera-${keeps}.${container}`)
    await makeAndCheck(source, { ...still(container), keepsCameraData: keeps }, file)
    const { exif, orientation = 1 } = await sharp(file).metadata()
    expect([orientation, exif?.includes('Skerry Works') ?? false]).toEqual([1, keeps])
  })

  test.each([
    ['png', []],
    ['jpg', []],
    ['png', [{ kind: 'learned', times: 2, network: 'clean', size: 'fast', strength: 100 }]],
  ] as [Container, Step[]][])('as %s keeps the colour profile of its source', async (container, steps) => {
    const source = fileAt('wide-gamut.png')
    await sharp(picture.path).resize(64, 48).withIccProfile('p3').png().toFile(source.path)
    const profile = (await sharp(source.path).metadata()).icc!
    expect(profile.length).toBeGreaterThan(100)
    const file = at(`wide-gamut-${steps.length}.${container}`)
    const facts = await readFacts(source)
    const treatment = deriveTreatment(facts, still(container), steps)
    await transcode(
      { input: source, facts, treatment, spec: still(container), outputPath: file },
      openGate,
      () => undefined,
    )
    const kept = (await sharp(file).metadata()).icc
    expect(kept && Buffer.compare(kept, profile)).toBe(0)
  })

  test.each([
    ['grey', 'L', { channels: 1 as const, value: 77 }],
    ['grey of 16 bits', 'L16', { channels: 1 as const, value: 77 }],
  ])('that is %s keeps its shade', async (name, _, { channels, value }) => {
    const source = fileAt(`${name.replaceAll(' ', '-')}.png`)
    const is16 = name.includes('16')
    const raw = is16
      ? Uint16Array.from({ length: 64 * 48 }, () => value * 257)
      : Uint8Array.from({ length: 64 * 48 }, () => value)
    const image = sharp(raw, { raw: { width: 64, height: 48, channels } })
    await (is16 ? image.toColourspace('grey16') : image.toColourspace('b-w')).png().toFile(source.path)
    const file = at(`${name.replaceAll(' ', '-')}-made.png`)
    const { check } = await makeAndCheck(source, still('png'), file)
    expect(notPassed(check)).toEqual([])
    const { data } = await sharp(file).toColourspace('srgb').raw().toBuffer({ resolveWithObject: true })
    expect([data[0], data[1], data[2]]).toEqual([value, value, value])
  })

  const refused: [string, MediaInput, PictureSpec, Step[], RegExp][] = [
    [
      'a film made a still',
      clip,
      still('png'),
      [],
      /One picture makes a still, and this source is a moving picture of 12/,
    ],
    [
      'a still made a film',
      picture,
      pictureSpec('mp4', 'h264', 'aac'),
      [],
      /single picture: it would become a film of no length/,
    ],
    ['a still made a sequence', picture, sequence('png'), [], /Choose a spec for stills/],
    [
      'speed of a still',
      picture,
      still('png'),
      [{ kind: 'speed', factor: 0.5, between: 'repeat', cutThreshold: 10 }],
      /needs a picture that moves/,
    ],
  ]
  test.each(refused)('%s is refused with what to do', async (_, input, spec, steps, sentence) => {
    const facts = await readFacts(input)
    expect(() => deriveTreatment(facts, spec, steps)).toThrow(sentence)
  })

  test('is tried as JPEG beside the JPEG that shows how it will look', async () => {
    const facts = await readFacts(picture)
    const spec = still('jpg')
    const treatment = deriveTreatment(facts, spec)
    const moment: Moment = { reason: 'typical', from: 0, to: 0.04 }
    const directory = at('trials', '1')
    await mkdir(directory, { recursive: true })
    const plan = { input: picture, facts, treatment, spec, moment, index: 0, directory, sourceId: 1 }
    await writeFile(path.join(directory, lookFile(0)), await trialLook(plan))
    const tried = await runTrialMoment(plan, openGate)
    expect(tried.frames).toBe(1)
    const file = path.join(directory, momentFile(0, spec))
    expect(tried.bytes).toBe((await readFile(file)).length)
    expect(apart(await coloursOf(file), stripes)).toBeLessThanOrEqual(3)
  })

  test('is enlarged, cropped and turned like any other picture', async () => {
    const facts = await readFacts(picture)
    const steps: Step[] = [
      { kind: 'crop', left: 1, top: 1, right: 0, bottom: 0 },
      { kind: 'rotate', degrees: 90 },
      { kind: 'scale', to: { by: 'factor', factor: 2 }, kernel: 'lanczos' },
    ]
    const { result } = deriveTreatment(facts, still('png'), steps)
    expect([result.frame.width, result.frame.height, result.frameCount]).toEqual([960, 1280, 1])
  })
})
