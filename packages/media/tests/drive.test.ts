import { readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { countSectors, sectorBytes, type SectorRange } from '@hematine/core'
import { beforeAll, describe, expect, test } from 'vitest'
import { copyDisc, ReadError, StandInDrive, type Drive } from '../src/discs/drive.ts'
import { unreadableStretches } from '../src/discs/title-reader.ts'
import type { TitleInput } from '../src/ground/media-input.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const image = path.join(scratch, 'disc.iso')
const sectors = 300
let content: Buffer

beforeAll(async () => {
  content = Buffer.alloc(sectors * sectorBytes, 'a disc of many sectors ')
  for (let sector = 0; sector < sectors; sector++) content.writeUInt32BE(sector, sector * sectorBytes)
  await writeFile(image, content)
})

/** What a copy should be: the disc with noughts where it could not be read. */
function withNoughts(ranges: readonly SectorRange[]): Buffer {
  const expected = Buffer.from(content)
  for (const { from, to } of ranges) expected.fill(0, from * sectorBytes, (to + 1) * sectorBytes)
  return expected
}

const fresh = { sectors: 0, unreadable: [] }
const goOn = async () => true

describe('the stand-in drive', () => {
  test('reads at the pace it is set to', async () => {
    const drive = await StandInDrive.open(image, { speed: 1, badSectors: [] })
    const begun = performance.now()
    await drive.read(0, 300)
    // 614400 bytes at 1385000 a second are 0.44 s.
    expect(performance.now() - begun).toBeGreaterThan(400)
    await drive.close()
  })

  test('fails where it is told to, and nowhere else', async () => {
    const drive = await StandInDrive.open(image, { speed: 64, badSectors: [{ from: 10, to: 11 }] })
    await expect(drive.read(0, 11)).rejects.toThrow(ReadError)
    expect(Buffer.from(await drive.read(0, 10))).toEqual(content.subarray(0, 10 * sectorBytes))
    expect((await drive.read(12, 1))[3]).toBe(12)
    await drive.close()
  })
})

describe('reading a disc in', () => {
  test('copies every sector that can be read, and notes the others', async () => {
    const bad = [
      { from: 5, to: 5 },
      { from: 63, to: 65 },
      { from: 299, to: 299 },
    ]
    const drive = await StandInDrive.open(image, { speed: 64, badSectors: bad })
    const target = path.join(scratch, 'copy.iso')
    expect(await copyDisc(drive, target, fresh, goOn)).toEqual(bad)
    expect(countSectors(bad)).toBe(5)
    expect(await readFile(target)).toEqual(withNoughts(bad))
    await drive.close()
  })

  test('goes on where it broke off, keeping what could not be read', async () => {
    const target = path.join(scratch, 'resumed.iso')
    const bad = [
      { from: 20, to: 21 },
      { from: 200, to: 200 },
    ]
    const drive = await StandInDrive.open(image, { speed: 64, badSectors: bad })
    let kept: { sectors: number; unreadable: readonly SectorRange[] } = fresh
    // The drive dies in the middle, after something was told.
    let reads = 0
    const dying: Drive = {
      sectors: drive.sectors,
      close: async () => undefined,
      read: async (first, count) => {
        if (reads++ > 70) throw new Error('unplugged')
        return drive.read(first, count)
      },
    }
    await expect(
      copyDisc(dying, target, fresh, async (done, unreadable) => {
        kept = { sectors: done, unreadable: unreadable.map(range => ({ ...range })) }
        return true
      }),
    ).rejects.toThrow('unplugged')
    expect(kept.sectors).toBeLessThan(sectors)
    const again: number[] = []
    const watched: Drive = {
      sectors: drive.sectors,
      close: async () => undefined,
      read: async (first, count) => {
        again.push(first)
        return drive.read(first, count)
      },
    }
    expect(await copyDisc(watched, target, kept, goOn)).toEqual(bad)
    expect(Math.min(...again)).toBe(kept.sectors)
    expect(await readFile(target)).toEqual(withNoughts(bad))
    await drive.close()
  })

  test('ends when it is told to', async () => {
    const drive = await StandInDrive.open(image, { speed: 64, badSectors: [] })
    expect(await copyDisc(drive, path.join(scratch, 'stopped.iso'), fresh, async () => false)).toBe(null)
    await drive.close()
  })
})

describe('what could not be read of a title', () => {
  const title = (unreadable: TitleInput['unreadable']): TitleInput => ({
    kind: 'title',
    disc: 'DISC',
    title: 1,
    angle: 1,
    aspect: '4:3',
    width: 720,
    height: 576,
    audio: [],
    subtitles: [],
    chapters: [0],
    seconds: 30,
    unreadable,
    // Played: 100 sectors from the middle of the image over ten seconds, then 100 from its beginning over twenty.
    parts: [
      { path: 'a.iso', at: 500 * sectorBytes, bytes: 100 * sectorBytes },
      { path: 'a.iso', at: 0, bytes: 100 * sectorBytes },
    ],
    cells: [
      { at: 0, seconds: 0, shift: 0 },
      { at: 100 * sectorBytes, seconds: 10, shift: 0 },
    ],
  })
  const run = (from: number, count: number, file = 'a.iso') => ({
    path: file,
    at: from * sectorBytes,
    bytes: count * sectorBytes,
  })

  test('is told by its time in playing order', () => {
    expect(unreadableStretches(title([run(50, 5), run(550, 10)]))).toEqual([
      { from: 5, to: 6, sectors: 10 },
      { from: 20, to: 21, sectors: 5 },
    ])
  })

  test('only as far as it belongs to the title; what is close together is one', () => {
    expect(unreadableStretches(title([run(590, 20), run(300, 50), run(0, 10, 'b.iso')]))).toEqual([
      { from: 9, to: 10, sectors: 10 },
    ])
    expect(unreadableStretches(title([run(510, 1), run(515, 1)]))).toEqual([
      { from: 1, to: expect.closeTo(1.6, 6), sectors: 2 },
    ])
  })
})
