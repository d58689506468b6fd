import path from 'node:path'
import { deliveredFacts, deriveTreatment, judge, rational, type FrameRule, type PictureSpec } from '@hematine/core'
import { Frame } from 'node-av/lib'
import { beforeAll, describe, expect, test } from 'vitest'
import { measureResult, readFacts, setUpLibraries, transcode } from '../src/index.ts'
import { openFrames } from '../src/reading/frame-reader.ts'
import { makeAndCheck, openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Results of exact frame and rate, read back sample by sample. */
const directory = scratchDirectory()
const at = (name: string) => path.join(directory, name)
const fileAt = (name: string) => ({ kind: 'file' as const, path: at(name) })
beforeAll(setUpLibraries)

const exactly = (
  frame: Partial<FrameRule>,
  video: Partial<PictureSpec['video']> = {},
  base = pictureSpec('mkv', 'ffv1', null),
): PictureSpec => ({
  ...base,
  video: {
    ...base.video,
    pixelFormat: base.video.pixelFormat ?? 'yuv420p',
    frame: { maxWidth: 640, maxHeight: 360, enlarge: true, squarePixels: true, ...frame },
    ...video,
  },
})

/** Luma of the first frame along its middle row and its middle column. */
async function cross(name: string): Promise<{ row: number[]; column: number[] }> {
  const facts = await readFacts(fileAt(name))
  const reader = await openFrames(fileAt(name), facts.video!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  await reader.next(frame)
  const [plane, stride] = [frame.data![0]!, frame.linesize[0]!]
  const row = [...plane.subarray((frame.height / 2) * stride, (frame.height / 2) * stride + frame.width)]
  const column = Array.from({ length: frame.height }, (_, y) => plane[y * stride + frame.width / 2]!)
  frame.free()
  await reader.close()
  return { row, column }
}

/** Where a line of samples leaves black, and where it comes back to it. */
const edges = (line: number[]) => [line.findIndex(value => value > 30), line.findLastIndex(value => value > 30) + 1]

const flat = (name: string, size: string, luma: string, extra = '') =>
  writeClip({
    path: at(name),
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `nullsrc=s=${size}:r=25:d=0.4,format=yuv420p,geq=lum='${luma}':cb=128:cr=128,setsar=1${extra}`,
    },
    audio: [],
  })

describe('a picture of another shape', () => {
  test('stands in the middle of black, and nowhere else', async () => {
    await flat('narrow.mkv', '320x240', '120')
    const { check } = await makeAndCheck(fileAt('narrow.mkv'), exactly({ exactly: 'padded' }), at('padded.mkv'))
    expect(check.verdict).toBe('pass')
    const { row, column } = await cross('padded.mkv')
    // 4:3 in 360 lines is 480 wide: 80 columns are left on either side.
    expect(edges(row)).toEqual([80, 560])
    expect([row[0], row[79], row[320]]).toEqual([16, 16, 120])
    expect(edges(column)).toEqual([0, 360])
  })

  test('stays small, with black on all sides, where the spec does not enlarge', async () => {
    await flat('small.mkv', '322x180', '120')
    const spec = exactly({ exactly: 'padded', enlarge: false })
    const { check } = await makeAndCheck(fileAt('small.mkv'), spec, at('small-padded.mkv'))
    expect(check.verdict).toBe('pass')
    const { row, column } = await cross('small-padded.mkv')
    // 318 columns are left: colours are stored for pairs, so 158 before and 160 behind.
    expect([edges(row), edges(column)]).toEqual([
      [158, 480],
      [90, 270],
    ])
  })

  test('loses as much above as below where it fills the frame', async () => {
    // Bands of 24 lines, of which 240 become 480 and 360 are left; each is looked at in its middle.
    await flat('bands.mkv', '320x240', '40+20*floor(Y/24)')
    const { check } = await makeAndCheck(fileAt('bands.mkv'), exactly({ exactly: 'cropped' }), at('cropped.mkv'))
    expect(check.verdict).toBe('pass')
    const { column } = await cross('cropped.mkv')
    const middles = [12, 60, 156, 300, 348].map(y => column[y]!)
    // Line y of the result was line (y + 60) / 2 of the source.
    const expected = [12, 60, 156, 300, 348].map(y => 40 + 20 * Math.floor((y + 60) / 2 / 24))
    for (const [index, value] of middles.entries()) expect(Math.abs(value - expected[index]!)).toBeLessThanOrEqual(2)
  })

  test('of fields keeps every line in its field, beside bars of pairs of lines', async () => {
    await flat('fields.mkv', '720x480', 'if(mod(Y,2),60,180)', ',setfield=tff,setsar=8/9')
    const base = pictureSpec('mkv', 'ffv1', null)
    const spec = exactly(
      { maxWidth: 720, maxHeight: 576, exactly: 'padded', shownAs: '4:3', squarePixels: false },
      { scan: 'as source', pixelFormat: 'yuv420p' },
      base,
    )
    const facts = await readFacts(fileAt('fields.mkv'))
    const interlaced = {
      ...facts,
      video: {
        ...facts.video!,
        scan: { ...facts.video!.scan, kind: 'interlaced' as const, firstField: 'top' as const },
      },
    }
    const treatment = deriveTreatment(interlaced, spec)
    // 480 lines of 640 in a shape whose pixels are 16:15 are 600 wide.
    expect(treatment.steps).toMatchObject([
      { kind: 'size', to: { width: 600, height: 480 } },
      { kind: 'chosen', step: { kind: 'pad', to: { width: 720, height: 576 } } },
    ])
    expect(treatment.result).toMatchObject({ scan: 'top field first', frame: { pixelAspect: rational(16, 15) } })
    const plan = { input: fileAt('fields.mkv'), facts: interlaced, treatment, spec, outputPath: at('fields-out.mkv') }
    await transcode(plan, openGate, () => undefined)
    const { column } = await cross('fields-out.mkv')
    expect(edges(column)).toEqual([48, 528])
    expect(new Set(column.slice(48, 528).filter((_, y) => y % 2 === 0))).toEqual(new Set([180]))
    expect(new Set(column.slice(48, 528).filter((_, y) => y % 2 === 1))).toEqual(new Set([60]))
  })
})

test('grain is of the picture, and bars stay black', async () => {
  await flat('grainy.mkv', '320x240', '120')
  const spec = exactly({ exactly: 'padded' })
  await makeAndCheck(fileAt('grainy.mkv'), spec, at('grain-out.mkv'), [{ kind: 'grain', strength: 'strong' }])
  const { row } = await cross('grain-out.mkv')
  expect(new Set([...row.slice(0, 80), ...row.slice(560)])).toEqual(new Set([16]))
  expect(new Set(row.slice(80, 560)).size).toBeGreaterThan(5)
})

describe('the check of a picture among bars', () => {
  const small = exactly({ exactly: 'padded', enlarge: false })
  const drawn = (name: string, filters: string) =>
    writeClip({
      path: at(name),
      format: 'matroska',
      video: { encoder: losslessEncoder, filters: `${filters},format=yuv420p,setsar=1` },
      audio: [],
    })

  test('looks at the picture and not at the bars: what moves in a tenth of the frame moves', async () => {
    await drawn('moving.mkv', 'testsrc2=s=144x144:r=25:d=2')
    const { check } = await makeAndCheck(fileAt('moving.mkv'), small, at('moving-out.mkv'))
    expect(check.lines.filter(line => line.verdict !== 'pass')).toEqual([])
  })

  test('finds that it stands still, has lost its colour, or stands upside down', async () => {
    await drawn('still.mkv', 'testsrc2=s=144x144:r=25:d=2,select=lt(n\\,1),tpad=stop_mode=clone:stop=49,fps=25')
    await drawn('turned.mkv', 'testsrc2=s=144x144:r=25:d=2,vflip,format=gray')
    const facts = await readFacts(fileAt('moving.mkv'))
    const treatment = deriveTreatment(facts, small)
    const wrong = async (name: string) => {
      await makeAndCheck(fileAt(name), small, at(`wrong-${name}`))
      const plan = {
        input: fileAt('moving.mkv'),
        facts: deliveredFacts(facts, treatment),
        treatment,
        spec: small,
        outputPath: at(`wrong-${name}`),
      }
      const check = judge(await measureResult(plan, openGate, () => undefined), small, treatment)
      return check.lines.filter(line => line.verdict === 'fail').map(line => line.name)
    }
    expect(await wrong('still.mkv')).toContain('stands still, black')
    const turned = await wrong('turned.mkv')
    expect(turned).toContain('colour')
    expect(turned).toContain('way up, likeness')
  })
})

test('a rate that is held shows one frame in five twice, and sound stays in step', async () => {
  await writeCountingClip(at('count.mkv'), 50, { tone: true })
  const base = pictureSpec('mkv', 'ffv1', 'flac')
  const spec = exactly(
    { maxWidth: 320, maxHeight: 240 },
    { maxFrameRate: { num: 30, den: 1 }, holdsFrameRate: true },
    base,
  )
  const { check } = await makeAndCheck(fileAt('count.mkv'), spec, at('count-30.mkv'))
  expect(check.verdict).toBe('pass')
  const facts = await readFacts(fileAt('count-30.mkv'))
  const reader = await openFrames(fileAt('count-30.mkv'), facts.video!.streamIndex)
  const frame = new Frame()
  frame.alloc()
  const numbers: number[] = []
  while (await reader.next(frame)) {
    numbers.push((frame.data![0]![0]! - 20) / 2)
    frame.unref()
  }
  frame.free()
  await reader.close()
  expect(numbers).toHaveLength(60)
  // Every frame is there, in order, and one of each five a second time.
  expect(new Set(numbers).size).toBe(50)
  expect(numbers).toEqual([...numbers].sort((a, b) => a - b))
  for (let five = 0; five < 50; five += 5)
    expect(numbers.filter(number => number >= five && number < five + 5)).toHaveLength(6)
})
