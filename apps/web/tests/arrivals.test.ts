import { mkdir, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { findSequences, rational } from '@hematine/core'
import { VolumeProblem } from '@hematine/media/volumes/volume-files'
import { beforeEach, describe, expect, test } from 'vitest'
import { arrivalsOfUpload, resolveArrival, sequenceAsItIs } from '../server/utils/arrivals.ts'
import { writeEmptyDisc } from '../../../tests/support/discs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const root = path.join(scratchDirectory(), 'volume')
const volume = { id: 3, path: root } as Parameters<typeof resolveArrival>[0]
const disc = (title: number, angle = 1) => ({ kind: 'title', volumeId: 3, disc: { path: 'Box/Disc', title, angle } })
const put = async (...names: string[]) => {
  for (const name of names) {
    await mkdir(path.dirname(path.join(root, name)), { recursive: true })
    await writeFile(path.join(root, name), 'something')
  }
}

beforeEach(async () => {
  await rm(root, { recursive: true, force: true })
  await mkdir(root, { recursive: true })
})

describe('what a request brings in', () => {
  test('is looked up in the volume, and said to be missing when it is not there', async () => {
    await put('a.mov', 'r-01.png', 'r-02.png')
    expect(await resolveArrival(volume, { kind: 'file', volumeId: 3, path: 'a.mov' })).toEqual({
      kind: 'file',
      volumeId: 3,
      path: 'a.mov',
    })
    expect(await resolveArrival(volume, { kind: 'sequence', volumeId: 3, path: 'r-[01-02].png' })).toMatchObject({
      kind: 'sequence',
      directory: '',
      frameRate: { num: 25, den: 1 },
      sequence: { first: 1, last: 2 },
    })
    await expect(resolveArrival(volume, { kind: 'file', volumeId: 3, path: 'b.mov' })).rejects.toThrow(VolumeProblem)
    await expect(resolveArrival(volume, { kind: 'sequence', volumeId: 3, path: 'r-[01-09].png' })).rejects.toThrow(
      'There is no sequence r-[01-09].png in this directory any more.',
    )
  })

  test('a title is one that the disc has and that can be used', async () => {
    await writeEmptyDisc(
      path.join(root, 'Box/Disc'),
      [
        [75, 'a'],
        [80, 'b'],
      ],
      10,
    )
    const ask = (title?: number, angle?: number) =>
      resolveArrival(volume, { kind: 'title', volumeId: 3, path: 'Box/Disc', title, angle })
    expect(await ask(1)).toEqual(disc(1))
    await expect(ask(2)).rejects.toThrow('Title 2 is not all there')
    await expect(ask(3)).rejects.toThrow('The disc has no title 3; it has 2.')
    await expect(ask(1, 2)).rejects.toThrow('Title 1 has one angle.')
    await expect(ask()).rejects.toThrow('Say which title of the disc is meant.')
    await expect(resolveArrival(volume, { kind: 'title', volumeId: 3, path: 'Box', title: 1 })).rejects.toThrow(
      'This is no video disc',
    )
  })
})

describe('what an upload brings in', () => {
  test('is itself, for a file', async () => {
    await put('a.mov')
    expect(await arrivalsOfUpload(volume, 'a.mov')).toEqual([{ kind: 'file', volumeId: 3, path: 'a.mov' }])
  })

  test('of a disc folder nothing until a title is whole, then the titles that are', async () => {
    await writeEmptyDisc(
      path.join(root, 'Box/Disc'),
      [
        [75, 'a'],
        [80, 'b'],
      ],
      0,
    )
    const last = 'Box/Disc/VIDEO_TS/VTS_01_1.VOB'
    const arrivals = async () =>
      (await arrivalsOfUpload(volume, last)).map(arrival => (arrival.kind === 'title' ? arrival.disc : arrival))
    expect(await arrivals()).toEqual([])
    await writeEmptyDisc(
      path.join(root, 'Box/Disc'),
      [
        [75, 'a'],
        [80, 'b'],
      ],
      10,
    )
    expect(await arrivals()).toEqual([{ path: 'Box/Disc/VIDEO_TS', title: 1, angle: 1 }])
    await writeEmptyDisc(path.join(root, 'Box/Disc'), [
      [75, 'a'],
      [80, 'b'],
    ])
    expect(await arrivals()).toMatchObject([{ title: 1 }, { title: 2 }])
    // Before the tables are there, it is no disc yet.
    await put('Box/Half/VIDEO_TS/VTS_01_1.VOB')
    expect(await arrivalsOfUpload(volume, 'Box/Half/VIDEO_TS/VTS_01_1.VOB')).toEqual([])
  })

  test('of an image that is no disc the file itself, which then says why it cannot be used', async () => {
    await put('odd.iso')
    expect(await arrivalsOfUpload(volume, 'odd.iso')).toEqual([{ kind: 'file', volumeId: 3, path: 'odd.iso' }])
  })
})

test('a sequence is read as it is now, and left alone while it is the same', async () => {
  await put('in/r-01.png', 'in/r-02.png')
  const known = findSequences(['r-01.png', 'r-02.png']).sequences[0]!
  expect(await sequenceAsItIs(volume, 'in/r-[01-02].png', known, rational(24))).toBe(null)
  await put('in/r-03.png')
  expect(await sequenceAsItIs(volume, 'in/r-[01-02].png', known, rational(24))).toMatchObject({
    kind: 'sequence',
    directory: 'in',
    frameRate: { num: 24, den: 1 },
    sequence: { first: 1, last: 3 },
  })
})
