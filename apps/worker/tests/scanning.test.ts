import { linkSync, writeFileSync } from 'node:fs'
import { mkdir, rm, symlink, utimes, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { rational } from '@hematine/core'
import { beforeEach, describe, expect, test } from 'vitest'
import { lookAtWatch, scanDirectory } from '../src/scanning.ts'
import { writeEmptyDisc } from '../../../tests/support/discs.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const root = path.join(scratchDirectory(), 'volume')
const volume = { id: 7, path: root }
const rate = rational(24)
const put = async (name: string, bytes = 10) => {
  await mkdir(path.dirname(path.join(root, name)), { recursive: true })
  await writeFile(path.join(root, name), Buffer.alloc(bytes, 1))
}
const putDisc = (name: string, titles: [seconds: number, cell: string][]) =>
  writeEmptyDisc(path.join(root, name), titles)
const scan = (directory = '') => scanDirectory(volume, directory, rate)

beforeEach(async () => {
  await rm(root, { recursive: true, force: true })
  await mkdir(root, { recursive: true })
})

describe('one directory of a scan', () => {
  test('gives files and sequences as arrivals, and the directories below', async () => {
    for (const name of ['b.mov', 'a.mov', 'in/c.mov', 'r-0001.png', 'r-0002.png', 'r-0004.png']) await put(name)
    const { arrivals, below, files, refused } = await scan()
    expect(arrivals).toEqual([
      {
        kind: 'sequence',
        volumeId: 7,
        directory: '',
        frameRate: rate,
        sequence: { prefix: 'r-', suffix: '.png', padding: 4, first: 1, last: 4, missing: [{ from: 3, to: 3 }] },
      },
      { kind: 'file', volumeId: 7, path: 'a.mov' },
      { kind: 'file', volumeId: 7, path: 'b.mov' },
    ])
    expect([below, files, refused]).toEqual([['in'], 3, []])
    expect((await scan('in')).arrivals).toEqual([{ kind: 'file', volumeId: 7, path: 'in/c.mov' }])
  })

  test('takes a single numbered picture for a file, and names with quotes, newlines and other scripts as they are', async () => {
    for (const name of ['shot-0001.png', 'two\nlines "and" quotes.mov', '灯台 №1.avi']) await put(name)
    expect((await scan()).arrivals.map(arrival => (arrival.kind === 'file' ? arrival.path : arrival))).toEqual(
      expect.arrayContaining(['shot-0001.png', 'two\nlines "and" quotes.mov', '灯台 №1.avi']),
    )
  })

  test('refuses empty files with a sentence, passes over notes and hidden things, and goes on', async () => {
    await put('good.mov')
    await put('empty.mov', 0)
    await put('list.txt')
    await put('.hidden/x.mov')
    const { arrivals, refused, below } = await scan()
    expect(arrivals).toHaveLength(1)
    expect(refused).toEqual([{ path: 'empty.mov', reason: 'The file is empty.' }])
    expect(below).toEqual([])
  })

  test('a disc gives its titles, not its files; one that cannot be read says why', async () => {
    await putDisc('Box/Training 4', [
      [75, 'a'],
      [75, 'a'],
      [3, 'b'],
    ])
    await put('Box/clip.mov')
    await put('Box/broken.iso', 5000)
    const { arrivals, below, refused } = await scan('Box')
    expect(arrivals).toEqual([
      { kind: 'file', volumeId: 7, path: 'Box/clip.mov' },
      { kind: 'title', volumeId: 7, disc: { path: 'Box/Training 4', title: 1, angle: 1 } },
    ])
    expect(below).toEqual([])
    expect(refused).toEqual(
      expect.arrayContaining([
        { path: 'Box/Training 4 title 2', reason: 'It plays the same as title 1.' },
        { path: 'Box/Training 4 title 3', reason: 'It is only 0:03.0 long. Open the disc to choose it.' },
        {
          path: 'Box/broken.iso',
          reason:
            'This is no image of a video disc: it holds no ISO 9660 or UDF file system with a directory VIDEO_TS.',
        },
      ]),
    )
    // The same from within.
    expect((await scan('Box/Training 4/VIDEO_TS')).arrivals).toEqual([
      { kind: 'title', volumeId: 7, disc: { path: 'Box/Training 4/VIDEO_TS', title: 1, angle: 1 } },
    ])
  })

  test('never follows links to directories, so that a circle ends', async () => {
    await put('in/a.mov')
    await symlink(root, path.join(root, 'in', 'round'))
    await symlink('/etc', path.join(root, 'in', 'out'))
    const { below, refused } = await scan('in')
    expect(below).toEqual([])
    expect(refused).toEqual(
      expect.arrayContaining([
        {
          path: 'in/round',
          reason: 'It is a link to a directory, which may lead in a circle. Bring in the directory itself.',
        },
        { path: 'in/out', reason: 'It is a link that leads out of the volume.' },
      ]),
    )
  })

  test('that is gone, or lies outside, is refused and the scan goes on', async () => {
    await writeFile(path.join(root, 'here.mov'), 'x')
    expect((await scan('gone')).refused).toEqual([{ path: 'gone', reason: 'There is no "gone" in the volume.' }])
    expect((await scan('../other')).refused[0]!.reason).toBe('The path must lie in the volume.')
  })

  test('with a hundred thousand frames is one sequence', async () => {
    await mkdir(path.join(root, 'long'))
    const frame = (number: number) => path.join(root, 'long', `f.${String(number).padStart(6, '0')}.dpx`)
    // Two names of one file are made sooner than two files, and a file has room for some ten thousand names.
    for (let number = 0; number < 100_000; number++) {
      const of = Math.floor(number / 10_000) * 10_000
      if (number === of) writeFileSync(frame(number), 'x')
      else linkSync(frame(of), frame(number))
    }
    const { arrivals } = await scan('long')
    expect(arrivals).toMatchObject([
      { kind: 'sequence', sequence: { first: 0, last: 99_999, missing: [], padding: 6 } },
    ])
  })
})

describe('a look at a watched folder', () => {
  const look = (growing: Record<string, string>, known: string[] = []) =>
    lookAtWatch({ path: '', frameRate: rate, growing }, volume, new Set(known))

  test('waits until a file is alike in two looks', async () => {
    await put('a.mov', 100)
    const first = await look({})
    expect(first.arrivals).toEqual([])
    expect(Object.keys(first.growing)).toEqual(['a.mov'])
    await put('a.mov', 200)
    const second = await look(first.growing)
    expect(second.arrivals).toEqual([])
    const third = await look(second.growing)
    expect(third.arrivals).toEqual([{ kind: 'file', volumeId: 7, path: 'a.mov' }])
    expect(third.growing).toEqual({})
  })

  test('waits for a file that is written to without growing', async () => {
    await put('a.mov', 100)
    const first = await look({})
    await utimes(path.join(root, 'a.mov'), new Date(), new Date(Date.now() + 5000))
    expect((await look(first.growing)).arrivals).toEqual([])
  })

  test('waits for the first bytes, and leaves alone what is in the order', async () => {
    await put('empty.mov', 0)
    await put('old.mov')
    const first = await look({}, ['old.mov'])
    expect((await look(first.growing, ['old.mov'])).arrivals).toEqual([])
  })

  test('brings in a sequence once no frame comes any more', async () => {
    for (const number of [1, 2, 3]) await put(`in/r.${number}.exr`)
    const first = await look({})
    await put('in/r.4.exr')
    const second = await look(first.growing)
    expect(second.arrivals).toEqual([])
    expect((await look(second.growing)).arrivals).toMatchObject([
      { kind: 'sequence', directory: 'in', sequence: { first: 1, last: 4 } },
    ])
  })

  test('brings in the titles of a disc once its files have stopped growing, and only once', async () => {
    await putDisc('Training 4', [[75, 'a']])
    const first = await look({})
    await put('Training 4/VIDEO_TS/VTS_01_2.VOB', 2048)
    const second = await look(first.growing)
    expect(second.arrivals).toEqual([])
    expect((await look(second.growing)).arrivals).toEqual([
      { kind: 'title', volumeId: 7, disc: { path: 'Training 4', title: 1, angle: 1 } },
    ])
    expect(await look(second.growing, ['Training 4 title 1'])).toEqual({ growing: {}, arrivals: [], problem: null })
  })

  test('says why a disc cannot be read, for as long as it cannot', async () => {
    await put('broken.iso', 5000)
    const first = await look({})
    const second = await look(first.growing)
    expect(second).toMatchObject({
      arrivals: [],
      problem:
        'broken.iso: This is no image of a video disc: it holds no ISO 9660 or UDF file system with a directory VIDEO_TS.',
    })
    expect((await look(second.growing)).problem).toBe(second.problem)
  })

  test('says when the folder is gone', async () => {
    await writeFile(path.join(root, 'here.mov'), 'x')
    expect((await lookAtWatch({ path: 'gone', frameRate: rate, growing: {} }, volume, new Set())).problem).toBe(
      'There is no "gone" in the volume.',
    )
  })
})
