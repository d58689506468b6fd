import { writeFile } from 'node:fs/promises'
import path from 'node:path'
import { crc32 } from 'node:zlib'
import { expect, test } from 'vitest'
import { readFacts } from '../src/index.ts'
import { mostPixels, refuseTooLarge } from '../src/reading/picture-limit.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()

test('a picture may take a quarter of the memory: 64 million pixels on a machine with 4 GiB', () => {
  expect(mostPixels(4 * 2 ** 30)).toBe(2 ** 26)
  expect(() => refuseTooLarge(8192, 8192, 2 ** 26)).not.toThrow()
  expect(() => refuseTooLarge(8193, 8192, 2 ** 26)).toThrow(
    "The picture is 8193x8192, 67 million pixels; with this machine's memory at most 67 million pixels are taken.",
  )
})

test('a PNG whose head promises more is refused before anything of it is decoded', async () => {
  // Nothing but a head: a decoder that went on would say that the file is cut short.
  const head = Buffer.alloc(13)
  head.writeUInt32BE(900_000, 0)
  head.writeUInt32BE(900_000, 4)
  head.set([8, 2, 0, 0, 0], 8)
  const chunk = (type: string, data: Buffer) => {
    const named = Buffer.concat([Buffer.from(type), data])
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)]
    length.writeUInt32BE(data.length)
    sum.writeUInt32BE(crc32(named))
    return Buffer.concat([length, named, sum])
  }
  const file = path.join(scratch, 'vast.png')
  await writeFile(
    file,
    Buffer.concat([
      Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
      chunk('IHDR', head),
      chunk('IDAT', Buffer.alloc(40)),
      chunk('IEND', Buffer.alloc(0)),
    ]),
  )
  await expect(readFacts({ kind: 'file', path: file })).rejects.toThrow('The picture is 900000x900000')
})
