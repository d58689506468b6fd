import { existsSync } from 'node:fs'
import path from 'node:path'
import { drawBackdrop } from '@hematine/demo/backdrops'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { Network, networks, type NetworkName } from '../src/ground/network.ts'
import { compareRgb, enlargeRgb } from '../src/stills/rgb-compare.ts'
import { setUpLibraries } from '../src/index.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
beforeAll(() => setUpLibraries())

/** A drawn picture and what averaging leaves of it at half the size. */
async function pair(
  width: number,
  height: number,
): Promise<{
  large: { width: number; height: number; data: Buffer }
  small: { width: number; height: number; data: Buffer }
}> {
  const file = path.join(scratch, `stone-${width}.png`)
  if (!existsSync(file)) await drawBackdrop(file, 'stone', 41, width, height)
  const data = await sharp(file).removeAlpha().toColourspace('srgb').raw().toBuffer()
  const [across, down] = [width / 2, height / 2]
  const small = Buffer.alloc(across * down * 3)
  for (let y = 0; y < down; y++)
    for (let x = 0; x < across; x++)
      for (let c = 0; c < 3; c++) {
        const at = (2 * y * width + 2 * x) * 3 + c
        small[(y * across + x) * 3 + c] = Math.round(
          (data[at]! + data[at + 3]! + data[at + 3 * width]! + data[at + 3 * width + 3]!) / 4,
        )
      }
  return { large: { width, height, data }, small: { width: across, height: down, data: small } }
}
const asPicture = ({ width, height, data }: { width: number; height: number; data: Uint8Array }) => ({
  width,
  height,
  data: Buffer.from(data.buffer, data.byteOffset, data.byteLength),
})

describe('learned networks', () => {
  test.each(Object.keys(networks) as NetworkName[])('%s opens and gives its scale', async name => {
    const network = await Network.open(name, 'cpu')
    const large = await network.run({ width: 33, height: 21, data: new Uint8Array(33 * 21 * 3).fill(90) }, 1)
    expect(large).toMatchObject({ width: 33 * network.scale, height: 21 * network.scale })
    // What is even stays even, to a code or two.
    const inner = Array.from(
      { length: 10 },
      (_, x) => large.data[((large.height >> 1) * large.width + (large.width >> 1) + x) * 3]!,
    )
    expect(inner.every(value => Math.abs(value - 90) <= 2)).toBe(true)
    await network.close()
  })

  test.each(['clean-fast', 'clean-careful', 'drawn-fast', 'drawn-careful'] as const)(
    '%s beats Lanczos on a picture that it has not seen',
    async name => {
      const { large, small } = await pair(640, 480)
      const network = await Network.open(name, 'cpu')
      const lanczos = await compareRgb(await enlargeRgb(small, 640, 480), large)
      const learned = await compareRgb(asPicture(await network.run(small, 1)), large)
      expect(learned.psnr).toBeGreaterThan(lanczos.psnr + 0.5)
      await network.close()
    },
  )

  test('strips give the picture that it gives whole, to the last bit', async () => {
    const { small } = await pair(320, 240)
    const network = await Network.open('clean-fast', 'cpu')
    // Two pictures beside each other are wider than one strip is high; a strip of a tall one has the same lines as the tall one whole.
    const tall = { width: 160, height: 1920, data: new Uint8Array(160 * 1920 * 3) }
    for (let copy = 0; copy < 16; copy++) tall.data.set(small.data, copy * small.data.length)
    const inStrips = await network.run(tall, 1)
    const middle = { width: 160, height: 360, data: tall.data.slice(160 * 3 * 1200, 160 * 3 * 1560) }
    const alone = await network.run(middle, 1)
    // Lines 1296 on, where a strip begins, seen from the middle of the piece.
    const line = 320 * 3
    const [from, to] = [40, 680]
    expect(
      Buffer.compare(
        Buffer.from(inStrips.data.subarray((2400 + from) * line, (2400 + to) * line)),
        Buffer.from(alone.data.subarray(from * line, to * line)),
      ),
    ).toBe(0)
    await network.close()
  })

  test('without strength the result is the plain bicubic enlargement', async () => {
    const network = await Network.open('clean-fast', 'cpu')
    const step = {
      width: 16,
      height: 12,
      data: Uint8Array.from({ length: 16 * 12 * 3 }, (_, at) => (Math.floor(at / 3) % 16 < 8 ? 40 : 200)),
    }
    const { data } = await network.run(step, 0)
    const row = Array.from({ length: 8 }, (_, x) => data[(12 * 32 + 12 + x) * 3]!)
    // Catmull-Rom at quarters of a pixel across a step of 160 from 40: 40 - 0.0234 * 160, 40 - 0.0703 * 160, 40 + 0.2031 * 160 and their mirror.
    expect(row).toEqual([40, 36, 29, 73, 167, 211, 204, 200].map(value => expect.closeTo(value, -0.5)))
    await network.close()
  })

  test('runs on a graphics processor, here one that Chromium brings as software', async () => {
    const driver = '/usr/lib/chromium/vk_swiftshader_icd.json'
    expect(existsSync(driver), "Debian's chromium brings the driver").toBe(true)
    process.env.VK_ICD_FILENAMES = driver
    const small = { width: 24, height: 16, data: Uint8Array.from({ length: 24 * 16 * 3 }, (_, at) => (at * 37) % 251) }
    const [here, there] = [await Network.open('clean-fast', 'cpu'), await Network.open('clean-fast', 'webgpu')]
    const [a, b] = [await here.run(small, 1), await there.run(small, 1)]
    expect(there.device).toBe('webgpu')
    expect(Math.max(...a.data.map((value, at) => Math.abs(value - b.data[at]!)))).toBeLessThanOrEqual(1)
    await here.close()
    await there.close()
  })
})
