import { stat } from 'node:fs/promises'
import path from 'node:path'
import { containers, pictureCodecs, type Container } from '@hematine/core'
import { beforeAll, expect, test } from 'vitest'
import { setUpLibraries, type MediaInput } from '../src/index.ts'
import { makeAndCheck } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'
import { pictureSpec } from '../../../tests/support/specs.ts'

/** A quality that is held is one: of every codec that has a scale, a worse value makes a smaller and less like picture. */
const scratch = scratchDirectory()
const film: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'film.mkv') }
const still: MediaInput & { kind: 'file' } = { kind: 'file', path: path.join(scratch, 'still.png') }

beforeAll(async () => {
  setUpLibraries()
  const filters = 'testsrc2=s=192x144:r=25:d=0.4,noise=alls=12:all_seed=3:allf=t,setsar=1'
  await writeClip({
    path: film.path,
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: `${filters},format=yuv420p` },
    audio: [],
  })
  await writeClip({
    path: still.path,
    format: 'image2',
    video: { encoder: 'png', filters: `${filters},trim=end_frame=1,format=rgb24` },
    audio: [],
  })
})

const all = Object.keys(containers) as Container[]
const scaled = pictureCodecs.flatMap(codec => {
  const holds = all.filter(key => (containers[key].picture as readonly string[]).includes(codec.key))
  const container = holds.find(key => containers[key].makes === 'moving picture') ?? holds.at(-1)
  return codec.quality && container ? [[codec.key, container, codec.quality] as const] : []
})

test.each(scaled)('of %s in %s', async (codec, container, { best, usual, worst, step }) => {
  const found: { bytes: number; xpsnr: number }[] = []
  const isFilm = containers[container].makes === 'moving picture'
  const between = Math.round((usual + worst) / 2 / step) * step
  for (const value of [best, usual, between]) {
    const spec = pictureSpec(container, codec, null, { kind: 'constant quality', value })
    const result = path.join(scratch, `${codec}-${value}.${container}`)
    const { check } = await makeAndCheck(isFilm ? film : still, spec, result)
    found.push({
      bytes: (await stat(result)).size,
      xpsnr: check.measurement.xpsnr?.mean ?? Number.POSITIVE_INFINITY,
    })
  }
  const [first, second, third] = found
  expect(second!.bytes).toBeLessThan(0.95 * first!.bytes)
  expect(third!.bytes).toBeLessThan(0.9 * second!.bytes)
  expect(second!.xpsnr).toBeLessThan(first!.xpsnr)
  expect(third!.xpsnr).toBeLessThan(second!.xpsnr - 1)
})
