import path from 'node:path'
import { deriveTreatment, type Step } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { compareTreated, readFacts, setUpLibraries, type TreatedSource } from '../src/index.ts'
import { openGate, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** How like the treated frames of one source are to those of another that shows the same. */
const scratch = scratchDirectory()
const spec = specOf('small-mp4')

/** Writes a moving picture of so many frames. @param then filters behind it */
async function write(name: string, frames: number, then = '', options: { encoder?: string; size?: string } = {}) {
  const { encoder = losslessEncoder, size = '160x120' } = options
  const file = path.join(scratch, `${name}.mkv`)
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder,
      ...(encoder === 'libx264' ? { options: { qp: '0', preset: 'veryfast' }, keyframeDistance: 120 } : {}),
      filters: `testsrc2=s=${size}:r=24,trim=end_frame=${frames},format=yuv420p,setsar=1${then}`,
    },
    audio: [],
  })
  return file
}

async function treated(file: string, steps: readonly Step[] = []): Promise<TreatedSource> {
  const input = { kind: 'file' as const, path: file }
  const facts = await readFacts(input)
  return { input, facts, treatment: deriveTreatment(facts, spec, steps) }
}

async function compare(of: TreatedSource, reference: TreatedSource) {
  const parts: number[] = []
  const likeness = await compareTreated(of, reference, openGate, part => parts.push(part))
  return { likeness, parts }
}

let plain: string
beforeAll(async () => {
  setUpLibraries()
  plain = await write('plain', 30)
})

describe('treated frames of two sources', () => {
  test('that are the same are identical, all of them', async () => {
    const { likeness, parts } = await compare(await treated(plain), await treated(plain))
    expect(likeness).toEqual({ frames: 30, identical: true, ssim: 1, xpsnr: null, worst: null })
    expect(parts.at(-1)).toBe(1)
    expect(parts).toHaveLength(30)
  })

  test('of which one frame differs are as unlike as that one, spread over all, and it is named', async () => {
    const other = await write(
      'other',
      30,
      `,geq=lum='if(eq(N,12),clip(lum(X,Y)+16,0,255),lum(X,Y))':cb='cb(X,Y)':cr='cr(X,Y)'`,
    )
    const { likeness } = await compare(await treated(other), await treated(plain))
    expect(likeness.identical).toBe(false)
    expect(likeness.worst!.seconds).toBeCloseTo(12 / 24, 6)
    // The mean is of errors: those of the other 29 are none.
    expect(likeness.xpsnr!).toBeCloseTo(likeness.worst!.xpsnr + 10 * Math.log10(30), 3)
    // Sixteen codes of 255 are 24 dB without the weighing of blocks.
    expect(likeness.worst!.xpsnr).toBeGreaterThan(14)
    expect(likeness.worst!.xpsnr).toBeLessThan(29)
    expect(likeness.ssim).toBeLessThan(1)
  })

  test('are the same ones of both where there are too many to compare them all, however they are stored', async () => {
    const [stored, long] = [await write('stored', 300), await write('long', 300, '', { encoder: 'libx264' })]
    const { likeness } = await compare(await treated(long), await treated(stored))
    expect(likeness).toMatchObject({ frames: 240, identical: true })
  })

  test('are compared for as long as both last', async () => {
    const short = await write('short', 11)
    expect((await compare(await treated(short), await treated(plain))).likeness).toMatchObject({
      frames: 11,
      identical: true,
    })
    const two = await write('two', 2)
    expect((await compare(await treated(plain), await treated(two))).likeness).toMatchObject({
      frames: 2,
      identical: true,
    })
  })

  test('that come to fewer than was told are done when they end', async () => {
    const source = await treated(plain)
    const { result } = source.treatment
    const longer = { ...source, treatment: { ...source.treatment, result: { ...result, frameCount: 40 } } }
    const { likeness, parts } = await compare(longer, longer)
    expect(likeness.frames).toBe(30)
    expect(parts.slice(-2)).toEqual([30 / 40, 1])
  })

  test('of which one is enlarged are less alike the smaller it was', async () => {
    const wide = await treated(await write('wide', 12, '', { size: '320x240' }))
    const enlarged = async (size: string) => {
      const small = await write(`small-${size}`, 12, `,scale=${size}:flags=area`, { size: '320x240' })
      const source = await treated(small, [
        { kind: 'scale', to: { by: 'size', width: 320, height: 240 }, kernel: 'lanczos' },
      ])
      return (await compare(source, wide)).likeness.xpsnr!
    }
    const [half, quarter] = [await enlarged('160x120'), await enlarged('80x60')]
    expect(half).toBeGreaterThan(quarter + 1)
    expect(half).toBeLessThan(45)
  })
})
