import { execFileSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdir, readdir, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import {
  pictureCodec,
  pictureSpecs,
  deriveTreatment,
  findSequences,
  lumaWeights,
  rational,
  toNumber,
  type Check,
} from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  MediaError,
  plainStill,
  readFacts,
  setUpLibraries,
  transcode,
  treatedStill,
  type MediaInput,
  type RgbPicture,
} from '../src/index.ts'
import { makeAndCheck, openGate, specOf } from '../../../tests/support/jobs.ts'
import { demoSource, losslessEncoder, writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const file = (name: string): MediaInput => ({ kind: 'file', path: name })
const at = (name: string) => path.join(scratch, name)
beforeAll(() => setUpLibraries())

function pixel(picture: RgbPicture, x: number, y: number): number[] {
  const offset = (y * picture.width + x) * 3
  return [...picture.data.subarray(offset, offset + 3)]
}

const problems = (check: Check) =>
  check.lines.filter(line => line.verdict !== 'pass').map(line => `${line.name}: ${line.found}`)

async function frameOf(outputPath: string, index: number): Promise<RgbPicture> {
  const facts = await readFacts(file(outputPath))
  return plainStill(file(outputPath), facts.video!, index / toNumber(facts.video!.frameRate))
}

describe('every built-in spec', () => {
  const source = at('every.mkv')
  /** For codecs that state the colours of high definition alone. */
  const wide = at('every-wide.mkv')
  beforeAll(async () => {
    for (const [target, size] of [
      [source, '640x360'],
      [wide, '1280x720'],
    ] as const)
      await writeClip({
        path: target,
        format: 'matroska',
        video: {
          encoder: losslessEncoder,
          // Softened: rows of fine print look like fields.
          filters: `testsrc2=s=${size}:r=25:d=1.2,gblur=sigma=3,format=yuv420p,setsar=1`,
        },
        audio: [
          {
            encoder: 'pcm_s16le',
            language: 'eng',
            filters: 'sine=frequency=440:sample_rate=44100:duration=1.2,aformat=sample_fmts=s16:channel_layouts=stereo',
          },
        ],
      })
  })
  /** Containers that hold no languages. */
  const silentOnLanguage = ['mpg', 'mxf', 'avi']

  test.each(pictureSpecs.map(spec => [spec.key, spec] as const))(
    '%s makes a file that passes its own check',
    async (key, spec) => {
      const from = pictureCodec(spec.video.codec).matrices ? wide : source
      const made = await makeAndCheck(file(from), spec, at(`every-${key}.${spec.container}`))
      expect(problems(made.check)).toEqual([])
      // 1.2 s at 25 fps, or at the rate that the spec holds.
      const { maxFrameRate, holdsFrameRate } = spec.video
      const rate = holdsFrameRate ? maxFrameRate!.num / maxFrameRate!.den : 25
      expect(made.check.measurement.video.framesDecoded).toBe(Math.round(1.2 * rate))
      if (spec.video.rateControl.kind === 'lossless') expect(made.check.measurement.identical).toBe(true)
      const delivered = await readFacts(file(made.outputPath))
      expect(delivered.audio).toHaveLength(1)
      expect(delivered.audio[0]!.language).toBe(silentOnLanguage.includes(spec.container) ? null : 'eng')
    },
  )
})

describe('shape', () => {
  test('a box in a wide anamorphic picture lands where its share of the width says', async () => {
    const source = at('anamorphic.mkv')
    // A white box over columns 180 to 359 and lines 144 to 287 of 720x576: a quarter of each side.
    await writeClip({
      path: source,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters:
          'color=c=black:s=720x576:r=25:d=0.2,format=yuv420p,drawbox=x=180:y=144:w=180:h=144:c=white:t=fill,setsar=64/45',
      },
      audio: [],
    })
    const made = await makeAndCheck(file(source), specOf('playback-box'), at('anamorphic.mp4'))
    const picture = await frameOf(made.outputPath, 2)
    expect([picture.width, picture.height]).toEqual([1920, 1080])
    for (const [x, y, bright] of [
      [486, 276, true],
      [954, 534, true],
      [474, 400, false],
      [966, 400, false],
      [700, 264, false],
      [700, 546, false],
    ] as const) {
      expect(pixel(picture, x, y)[1]! > 128, `pixel ${x},${y}`).toBe(bright)
    }
  })
})

describe('colour', () => {
  /** Code values of 8-bit limited range for a colour under a matrix (ITU-T H.273, equations 38 to 40). */
  function codes([red, green, blue]: number[], matrix: string): number[] {
    const { kr, kb } = lumaWeights(matrix)!
    const luma = (kr * red! + (1 - kr - kb) * green! + kb * blue!) / 255
    const chroma = (value: number, weight: number) =>
      Math.round(128 + (224 * (value / 255 - luma)) / (2 * (1 - weight)))
    return [Math.round(16 + 219 * luma), chroma(blue!, kb), chroma(red!, kr)]
  }

  test.each([
    ['untagged 576-line', 720, 576, 'smpte170m', ''],
    ['untagged 720-line', 1280, 720, 'bt709', ''],
    ['tagged against its size', 720, 576, 'bt709', ',setparams=colorspace=bt709:color_primaries=bt709:color_trc=bt709'],
  ] as const)('of %s material is kept when it becomes HD', async (_, width, height, matrix, tags) => {
    const wanted = [180, 60, 40]
    const [y, cb, cr] = codes(wanted, matrix)
    const source = at(`colour-${width}-${matrix}.mkv`)
    await writeClip({
      path: source,
      format: 'matroska',
      video: {
        encoder: losslessEncoder,
        filters: `nullsrc=s=${width}x${height}:r=25:d=0.2,format=yuv420p,geq=lum=${y}:cb=${cb}:cr=${cr}${tags},setsar=1`,
      },
      audio: [],
    })
    const made = await makeAndCheck(file(source), specOf('playback-box'), `${source}.mp4`)
    expect(made.treatment.result.colour.matrix).toBe('bt709')
    const shown = pixel(await frameOf(made.outputPath, 2), 700, 500)
    shown.forEach((value, index) =>
      expect(Math.abs(value - wanted[index]!), `channel ${index} of ${shown}`).toBeLessThanOrEqual(4),
    )
  })
})

describe('interlaced material', () => {
  const source = at('fields.mkv')
  // A bar that moves 12 columns a field: woven, its edges are combs of 12 columns.
  beforeAll(() =>
    writeClip({
      path: source,
      format: 'matroska',
      video: {
        // It says of its frames that they are woven of fields.
        encoder: 'ffv1',
        filters:
          "nullsrc=s=720x576:r=50:d=1,format=yuv420p,geq=lum='if(between(X,100+12*N,180+12*N),200,40)':cb=128:cr=128,tinterlace=mode=interleave_top,setfield=tff,setsar=16/15",
      },
      audio: [],
    }),
  )

  /** Mean difference between each line and its neighbours' mean, over the middle of the picture. */
  function combing(picture: RgbPicture): number {
    let sum = 0
    let count = 0
    const green = (x: number, y: number) => picture.data[(y * picture.width + x) * 3 + 1]!
    for (let y = Math.round(picture.height * 0.3); y < picture.height * 0.7; y++) {
      for (let x = 0; x < picture.width; x++, count++)
        sum += Math.abs(green(x, y) - (green(x, y - 1) + green(x, y + 1)) / 2)
    }
    return sum / count
  }

  test('comes out uncombed', async () => {
    const input = file(source)
    const facts = await readFacts(input)
    expect(facts.video!.scan).toMatchObject({ kind: 'interlaced', firstField: 'top' })
    const woven = combing(await plainStill(input, facts.video!, 0.4))
    const treatment = deriveTreatment(facts, specOf('playback-box'))
    const clean = combing(await treatedStill(input, facts.video!, treatment, 10))
    expect(woven).toBeGreaterThan(2)
    expect(clean).toBeLessThan(woven * 0.15)
  })

  test('given one frame a field moves at the rate of the fields', async () => {
    const input = file(source)
    const facts = await readFacts(input)
    const treatment = deriveTreatment(facts, specOf('small-mkv'))
    const left = async (index: number) => {
      const picture = await treatedStill(input, facts.video!, treatment, index)
      return Array.from({ length: picture.width }, (_, x) => pixel(picture, x, 288)[1]!).findIndex(value => value > 100)
    }
    expect((await left(21)) - (await left(20))).toBe(12)
    expect((await left(22)) - (await left(20))).toBe(24)
  })

  test('stays interlaced in a master, field for field', async () => {
    const made = await makeAndCheck(file(source), specOf('archive-master'), at('fields-archive.mkv'))
    expect(problems(made.check)).toEqual([])
    expect(made.check.measurement).toMatchObject({ identical: true, video: { interlaced: true } })
  })
})

describe('frames', () => {
  const grey = (n: number) => ((20 + 2 * n - 16) * 255) / 219

  test('of a constant rate come out one for one', async () => {
    const source = at('count.mkv')
    await writeCountingClip(source, 60, { tone: true })
    const made = await makeAndCheck(file(source), specOf('archive-master'), at('count-archive.mkv'))
    expect(made.check.measurement).toMatchObject({ treatedFrames: 60, identical: true })
    for (const index of [0, 1, 31, 59])
      expect(pixel(await frameOf(made.outputPath, index), 100, 100)[1]).toBeCloseTo(grey(index), -0.5)
  })

  test('of twice the allowed rate lose every second one', async () => {
    const source = at('fast.mkv')
    await writeCountingClip(source, 60, { rate: '50' })
    const made = await makeAndCheck(file(source), specOf('playback-box'), at('fast.mp4'))
    expect(made.check.measurement.video).toMatchObject({ framesDecoded: 30, frameRate: { num: 25, den: 1 } })
    for (const index of [0, 10, 29]) {
      const value = pixel(await frameOf(made.outputPath, index), 700, 500)[1]!
      expect(Math.min(Math.abs(value - grey(2 * index)), Math.abs(value - grey(2 * index + 1)))).toBeLessThan(3)
    }
  })

  test('of a rendered sequence keep every value in the archive', async () => {
    const directory = await demoSource('sequence')
    const sequence = { ...findSequences(await readdir(directory)).sequences[0]!, last: 4 }
    const made = await makeAndCheck(
      { kind: 'sequence', directory, sequence, frameRate: rational(24) },
      specOf('archive-master'),
      at('render.mkv'),
    )
    expect(problems(made.check)).toEqual([])
    expect(made.check.measurement).toMatchObject({ identical: true, treatedFrames: 4 })
  })
})

describe('when things go wrong', () => {
  test('a source cut short gives what there is, and the check asks for a look', async () => {
    const made = await makeAndCheck(file(await demoSource('cutShort')), specOf('open-web-mp4'), at('short.mp4'))
    expect(made.check.verdict).toBe('look')
    expect(made.check.lines.find(line => line.name === 'source frames')!.reason).toMatch(
      /^By its times the source should give 15\d frames but gave 1\d\d: some are damaged, or cut short\.$/,
    )
  })

  test('work stops at the next frame when it is told to', async () => {
    const source = at('long.mkv')
    await writeCountingClip(source, 100, { size: '640x480' })
    const facts = await readFacts(file(source))
    const spec = specOf('small-mkv')
    let turns = 0
    const gate = {
      async turn() {
        if (++turns > 20) throw new Error('stopped')
      },
    }
    let done = 0
    const run = transcode(
      { input: file(source), facts, treatment: deriveTreatment(facts, spec), spec, outputPath: at('stopped.mkv') },
      gate,
      progress => {
        done = progress.framesDone
      },
    )
    await expect(run).rejects.toThrow('stopped')
    expect(done).toBeLessThanOrEqual(20)
    // The same process can work on afterwards.
    expect(
      (await makeAndCheck(file(source), specOf('open-web-webm'), at('after.webm'))).check.measurement.video
        .framesDecoded,
    ).toBe(100)
  })

  test('a full disk is said to be full, and the unfinished file can be removed', async context => {
    const small = at('small-disk')
    await mkdir(small)
    try {
      execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=300k', 'tmpfs', small], { stdio: 'ignore' })
    } catch {
      // Only root may mount; the other tests stand without this one.
      return context.skip()
    }
    try {
      const source = at('big.mkv')
      await writeClip({
        path: source,
        format: 'matroska',
        video: {
          encoder: losslessEncoder,
          filters: 'testsrc2=s=640x360:r=25:d=2,noise=alls=40:allf=t,format=yuv420p,setsar=1',
        },
        audio: [],
      })
      const facts = await readFacts(file(source))
      const spec = specOf('archive-master')
      const target = path.join(small, 'full.mkv')
      const problem = await transcode(
        { input: file(source), facts, treatment: deriveTreatment(facts, spec), spec, outputPath: target },
        openGate,
        () => undefined,
      ).then(
        () => null,
        error => error as MediaError,
      )
      expect(problem).toBeInstanceOf(MediaError)
      expect(problem!.isDiskFull).toBe(true)
      expect(problem!.message).toContain('the disk is full')
      await rm(target)
      expect(existsSync(target)).toBe(false)
    } finally {
      execFileSync('umount', [small])
    }
  })
})

test('sources are opened for reading only', async () => {
  const source = at('untouched.mkv')
  await writeCountingClip(source, 10)
  const before = await stat(source)
  await mkdir(at('ro'), { recursive: true })
  await makeAndCheck(file(source), specOf('open-web-mp4'), at('ro/out.mp4'))
  const after = await stat(source)
  expect([after.mtimeMs, after.size, after.ino]).toEqual([before.mtimeMs, before.size, before.ino])
})
