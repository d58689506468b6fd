import { createRequire } from 'node:module'
import path from 'node:path'
import {
  deliveredFacts,
  deriveTreatment,
  judge,
  nameBeside,
  planContactSheet,
  sheetAdded,
  type Container,
  type PictureSpec,
  type SheetMeasurement,
} from '@hematine/core'
import type sharpModule from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { deliver, readFacts, setUpLibraries } from '../src/index.ts'
import { measureSheet } from '../src/checking/check-sheet.ts'
import { fileBeside } from '../src/volumes/result-files.ts'
import { openGate } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** Contact sheets, looked at by the library for pictures in files, which has no part in checking them. */
const sharp = createRequire(import.meta.url)('sharp') as typeof sharpModule
const scratch = scratchDirectory()
const at = (name: string) => path.join(scratch, name)

/** Twelve seconds in codes of the full range; in each the left half is brighter than in the one before, and the right half darker. */
const stepped =
  "color=black:s=192x108:r=25:d=12,format=gray,geq=lum='if(lt(X,W/2),40+15*floor(N/25),205-15*floor(N/25))',format=yuv420p,setsar=1"
beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: at('steps.mkv'),
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: stepped },
    audio: [],
  })
})

async function delivered(source: string, spec: PictureSpec, name: string) {
  const input = { kind: 'file', path: at(source) } as const
  const facts = await readFacts(input)
  const treatment = deriveTreatment(facts, spec, [])
  if (treatment.result === null) throw new Error('there is a picture')
  const outputPath = at(name)
  const plan = { input, facts: deliveredFacts(facts, treatment), treatment, spec, outputPath }
  const measured = await deliver(plan, openGate, () => undefined)
  const lines = judge(measured, spec, treatment, { facts, findings: [] }).lines
  return { measured, treatment, outputPath, line: lines.find(({ name }) => name === 'contact sheet') }
}

/** Mean brightness of the halves of each frame on a sheet, in codes, without what is near an edge. */
async function halves(file: string, { frame, cells }: ReturnType<typeof planContactSheet>) {
  const meanOf = async (left: number, top: number) => {
    const part = { left: left + 4, top: top + 4, width: Math.floor(frame.width / 2) - 8, height: frame.height - 8 }
    const { channels } = await sharp(await sharp(file).extract(part).toBuffer()).stats()
    return channels[0]!.mean
  }
  const found: [number, number][] = []
  for (const { left, top } of cells)
    found.push([await meanOf(left, top), await meanOf(left + Math.floor(frame.width / 2), top)])
  return found
}

const sheet = { across: 4, down: 3, width: 1000, times: true } as const
const whole = { rate: { num: 25, den: 1 }, seconds: 12 }

describe('a contact sheet beside a result', () => {
  test.each([
    ['mp4', 'h264'],
    ['mov', 'prores'],
    ['mkv', 'av1'],
    ['mpg', 'mpeg2video'],
    ['images', 'png'],
  ] as [Container, string][])('of %s with %s shows the middle of each twelfth of it', async (container, codec) => {
    const spec: PictureSpec = { ...pictureSpec(container, codec, null), sheet }
    const { measured, treatment, outputPath, line } = await delivered('steps.mkv', spec, `${container}-${codec}`)
    expect(line).toMatchObject({ verdict: 'pass', expected: '12 frames, 1000x508' })
    const file = fileBeside(outputPath, sheetAdded)
    expect(await sharp(file).metadata()).toMatchObject({ format: 'jpeg', width: 1000, height: 508 })
    expect(measured.sheet).toMatchObject({ frames: 12, others: 0, file: { added: '.sheet.jpg' } })
    const plan = planContactSheet(sheet, { ...whole, frame: treatment.result.frame })
    for (const [second, [left, right]] of (await halves(file, plan)).entries()) {
      expect(Math.abs(left - (40 + 15 * second)), `left, ${second} s`).toBeLessThan(4)
      expect(Math.abs(right - (205 - 15 * second)), `right, ${second} s`).toBeLessThan(4)
    }
  })

  test('of one frame has that; and its name stands beside the result', async () => {
    await writeClip({
      path: at('one.mkv'),
      format: 'matroska',
      video: { encoder: losslessEncoder, filters: `${stepped},trim=end_frame=2` },
      audio: [],
    })
    const { line } = await delivered('one.mkv', { ...pictureSpec('mkv', 'ffv1', null), sheet }, 'one-out.mkv')
    expect(line).toMatchObject({ verdict: 'pass', expected: expect.stringMatching(/^2 frames, 1000x/) as string })
    expect(nameBeside('reels/tape-box.mp4', { container: 'mp4' }, sheetAdded)).toBe('reels/tape-box.sheet.jpg')
  })

  test('is not drawn where the spec has none', async () => {
    const { measured, line } = await delivered('one.mkv', pictureSpec('mkv', 'ffv1', null), 'none-out.mkv')
    expect(measured.sheet).toBeUndefined()
    expect(line).toBeUndefined()
  })
})

describe('the check of a contact sheet', () => {
  const checked = async (change: (file: string) => Promise<Buffer>, name: string): Promise<SheetMeasurement> => {
    const spec: PictureSpec = { ...pictureSpec('mkv', 'ffv1', null), sheet }
    const { outputPath, treatment } = await delivered('steps.mkv', spec, `${name}.mkv`)
    const file = at(`${name}.jpg`)
    await sharp(await change(fileBeside(outputPath, sheetAdded)))
      .jpeg()
      .toFile(file)
    const plan = planContactSheet(sheet, { ...whole, frame: treatment.result.frame })
    return measureSheet({ input: { kind: 'file', path: outputPath }, streamIndex: 0, file, sheet: plan }, openGate)
  }
  const box = (index: number) => {
    const { cells, frame } = planContactSheet(sheet, {
      ...whole,
      frame: { width: 192, height: 108, pixelAspect: { num: 1, den: 1 } },
    })
    return { left: cells[index]!.left, top: cells[index]!.top, ...frame }
  }

  test('finds frames that stand in each other’s places, and one that is black', async () => {
    const swapped = await checked(async file => {
      const [first, last] = [
        await sharp(file).extract(box(0)).toBuffer(),
        await sharp(file).extract(box(11)).toBuffer(),
      ]
      const onto = (index: number, input: Buffer) => ({ input, left: box(index).left, top: box(index).top })
      return sharp(file)
        .composite([onto(0, last), onto(11, first)])
        .toBuffer()
    }, 'swapped')
    expect(swapped).toMatchObject({ frames: 12, others: 2 })
    const black = await checked(async file => {
      const { left, top, width, height } = box(1)
      const input = { create: { width, height, channels: 3 as const, background: '#000' } }
      return sharp(file).composite([{ input, left, top }]).toBuffer()
    }, 'black')
    expect(black).toMatchObject({ frames: 12, others: 1 })
  })

  test('finds a sheet that was cut, and one of another size', async () => {
    const cut = await checked(
      file => sharp(file).extract({ left: 0, top: 0, width: 1000, height: 340 }).toBuffer(),
      'cut',
    )
    expect(cut).toMatchObject({ frames: 8, height: 340 })
    const spec: PictureSpec = { ...pictureSpec('mkv', 'ffv1', null), sheet }
    const { measured, treatment } = await delivered('steps.mkv', spec, 'judged.mkv')
    for (const wrong of [cut, { ...measured.sheet!, others: 1 }, undefined]) {
      const { sheet: _right, ...rest } = measured
      const check = judge({ ...rest, ...(wrong ? { sheet: wrong } : {}) }, spec, treatment)
      expect(check.lines.find(({ name }) => name === 'contact sheet')).toMatchObject({
        verdict: 'fail',
        reason: 'The contact sheet is missing, or shows something else than the result does. Make it again.',
      })
    }
  })
})
