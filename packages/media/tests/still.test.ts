import path from 'node:path'
import { deriveTreatment, type SourceFacts } from '@hematine/core'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import {
  plainStill,
  readFacts,
  setUpLibraries,
  toPng,
  treatedStill,
  type MediaInput,
  type RgbPicture,
} from '../src/index.ts'
import { specOf } from '../../../tests/support/jobs.ts'
import { writeClip, writeCountingClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const at = (name: string): MediaInput & { kind: 'file' } => ({ kind: 'file', path: path.join(scratch, name) })
beforeAll(() => setUpLibraries())

/** Number that a counting clip's frame carries: luma 20 + 2 n in limited range. */
function numberOf(picture: RgbPicture): number {
  const grey = picture.data[(Math.floor(picture.height / 2) * picture.width + Math.floor(picture.width / 2)) * 3 + 1]!
  return Math.round(((grey * 219) / 255 + 16 - 20) / 2)
}

describe('single frames', () => {
  let facts: SourceFacts
  beforeAll(async () => {
    await writeCountingClip(at('count.mkv').path, 100, { tone: true })
    // Long groups of pictures, so that reaching a frame means decoding through others.
    await writeClip({
      path: at('count.mpg').path,
      format: 'vob',
      video: {
        encoder: 'mpeg2video',
        bitRate: 4_000_000,
        keyframeDistance: 15,
        filters: "nullsrc=s=352x288:r=25,format=yuv420p,geq=lum='20+2*N':cb=128:cr=128,trim=end_frame=100,setsar=1",
      },
      audio: [],
    })
    facts = await readFacts(at('count.mkv'))
  })

  test.each([0, 1, 24, 25, 57, 98, 99])('of a file: frame %i is frame %i', async index => {
    expect(numberOf(await plainStill(at('count.mkv'), facts.video!, index / 25))).toBe(index)
  })

  test.each([0, 1, 13, 14, 15, 50, 90, 99])('of a program stream, which has no index: frame %i', async index => {
    const stream = await readFacts(at('count.mpg'))
    expect(numberOf(await plainStill(at('count.mpg'), stream.video!, index / 25))).toBe(index)
  })

  test.each([0, 7, 8, 9, 76, 99])(
    'of a treated source: frame %i is the one that the encoder was given',
    async index => {
      const treatment = deriveTreatment(facts, specOf('open-web-mp4'))
      expect(numberOf(await treatedStill(at('count.mkv'), facts.video!, treatment, index))).toBe(index)
    },
  )

  test('beyond the end: the last one of a file, and a sentence for a treated source', async () => {
    expect(numberOf(await plainStill(at('count.mkv'), facts.video!, 60))).toBe(99)
    await expect(
      treatedStill(at('count.mkv'), facts.video!, deriveTreatment(facts, specOf('open-web-mp4')), 400),
    ).rejects.toThrow('There is no frame 400.')
  })

  test('become PNGs that keep every value', async () => {
    const picture = await plainStill(at('count.mkv'), facts.video!, 1)
    const { data, info } = await sharp(await toPng(picture))
      .raw()
      .toBuffer({ resolveWithObject: true })
    expect([info.width, info.height, info.channels]).toEqual([320, 240, 3])
    expect(data.equals(picture.data)).toBe(true)
  })
})
