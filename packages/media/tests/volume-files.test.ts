import { createHash } from 'node:crypto'
import { execFileSync } from 'node:child_process'
import { mkdir, readdir, readFile, rename, rm, symlink, utimes, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { describe, expect, test, vi } from 'vitest'
import { answering } from '../src/volumes/answering.ts'
import {
  checkFolders,
  exists,
  identityOf,
  listDirectory,
  makeFolder,
  markVolume,
  placeFile,
  resolveInside,
  sha256OfFile,
  spaceOf,
  spaceOfVolume,
  VolumeProblem,
  workDirectory,
} from '../src/volumes/volume-files.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
let count = 0
async function volume(): Promise<string> {
  const root = path.join(scratch, `volume-${++count}`)
  await mkdir(path.join(root, 'reels'), { recursive: true })
  await writeFile(path.join(root, 'reels', 'one.avi'), 'one')
  return root
}
const registered = (root: string, markedAt: Date | null = null) => ({
  name: 'Films',
  path: root,
  marker: 'a1b2',
  markedAt,
})

describe('folders for results', () => {
  test('are made one after the other, and none is by looking whether they could be', async () => {
    const root = await volume()
    await checkFolders(root, 'reels/SL-1/masters')
    await checkFolders(root, '.')
    expect(await readdir(path.join(root, 'reels'))).toEqual(['one.avi'])
    await makeFolder(root, 'reels/SL-1/masters')
    expect(await readdir(path.join(root, 'reels', 'SL-1'))).toEqual(['masters'])
    await checkFolders(root, 'reels/SL-1/masters')
  })

  test.each([checkFolders, makeFolder])('where a file is, or a link leads out, are a sentence (%o)', async look => {
    const root = await volume()
    await expect(look(root, 'reels/one.avi/masters')).rejects.toThrow(
      '"reels/one.avi" is a file, so no result can be put into it.',
    )
    await symlink(scratch, path.join(root, 'away'))
    await expect(look(root, 'away/masters')).rejects.toThrow(
      'The folder "away" is a link that leads out of the volume.',
    )
    expect(await exists(path.join(scratch, 'masters'))).toBe(false)
  })
})

describe('paths in a volume', () => {
  test('inside resolve to their real place', async () => {
    const root = await volume()
    expect(await resolveInside(root, 'reels/one.avi')).toBe(path.join(root, 'reels', 'one.avi'))
    expect(await resolveInside(root, '')).toBe(root)
  })

  test.each([
    '..',
    '../secret',
    'reels/../../secret',
    'reels/..',
    '/etc/passwd',
    'reels//one.avi',
    './reels',
    'reels/\0',
    'reels/./one.avi',
  ])('%j is refused', async relative => {
    const root = await volume()
    await writeFile(path.join(scratch, 'secret'), 'no')
    await expect(resolveInside(root, relative)).rejects.toThrow(VolumeProblem)
  })

  test('links are followed inside and refused when they lead out or round', async () => {
    const root = await volume()
    await writeFile(path.join(scratch, 'outside'), 'no')
    await symlink('reels/one.avi', path.join(root, 'inside link'))
    await symlink(path.join(scratch, 'outside'), path.join(root, 'way out'))
    await symlink(scratch, path.join(root, 'way up'))
    await symlink('circle', path.join(root, 'circle'))
    expect(await resolveInside(root, 'inside link')).toBe(path.join(root, 'reels', 'one.avi'))
    await expect(resolveInside(root, 'way out')).rejects.toThrow('leads out of the volume')
    await expect(resolveInside(root, 'way up/outside')).rejects.toThrow('leads out of the volume')
    await expect(resolveInside(root, 'circle')).rejects.toThrow('round in a circle')
  })

  test('a volume beside another whose name begins alike is not inside it', async () => {
    const root = await volume()
    await mkdir(`${root}-more`)
    await symlink(`${root}-more`, path.join(root, 'neighbour'))
    await expect(resolveInside(root, 'neighbour')).rejects.toThrow('leads out of the volume')
  })

  test('a volume that is gone says so', async () => {
    await expect(resolveInside(path.join(scratch, 'unplugged'), '')).rejects.toThrow('Is its disk connected?')
  })
})

describe('listing', () => {
  test('shows directories, files and sequences, and names what cannot be used', async () => {
    const root = await volume()
    for (const name of ['a "b".avi', 'line\nbreak.mov', '.hidden', 'r-1.png', 'r-2.png'])
      await writeFile(path.join(root, name), name)
    await symlink('/etc', path.join(root, 'away'))
    await symlink('nothing', path.join(root, 'broken'))
    const listing = await listDirectory(root, '')
    expect(listing.directories).toEqual(['reels'])
    expect(listing.files.map(entry => entry.name)).toEqual(['a "b".avi', 'line\nbreak.mov'])
    expect(listing.sequences).toMatchObject([{ prefix: 'r-', first: 1, last: 2 }])
    expect(listing.refused.map(entry => entry.name)).toEqual(['away', 'broken'])
  })

  test('of a file says what it is', async () => {
    await expect(listDirectory(await volume(), 'reels/one.avi')).rejects.toThrow('This is a file and not a directory.')
  })

  test('names that are not UTF-8 are shown as unusable', async () => {
    const root = await volume()
    await writeFile(Buffer.concat([Buffer.from(`${root}/bad`), Buffer.from([0xff, 0xfe]), Buffer.from('.avi')]), 'x')
    expect((await listDirectory(root, '')).refused[0]!.reason).toContain('not valid UTF-8')
  })
})

describe('placing a finished file', () => {
  test('moves it in one step and leaves no temporary name', async () => {
    const root = await volume()
    const temporary = path.join(await workDirectory(registered(root)), 'job-1')
    await writeFile(temporary, 'whole')
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(true)
    expect(await readFile(path.join(root, 'out.mp4'), 'utf8')).toBe('whole')
    expect(await exists(temporary)).toBe(false)
  })

  test('never replaces what is there', async () => {
    const root = await volume()
    const temporary = path.join(await workDirectory(registered(root)), 'job-1')
    await writeFile(temporary, 'new')
    await writeFile(path.join(root, 'out.mp4'), 'old')
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(false)
    expect(await readFile(path.join(root, 'out.mp4'), 'utf8')).toBe('old')
    expect(await readFile(temporary, 'utf8')).toBe('new')
  })

  test('is finished by a repetition when it broke off half-way', async () => {
    const root = await volume()
    const temporary = path.join(await workDirectory(registered(root)), 'job-1')
    await writeFile(temporary, 'whole')
    const { link } = await import('node:fs/promises')
    await link(temporary, path.join(root, 'out.mp4'))
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(true)
    expect(await exists(temporary)).toBe(false)
  })
})

test("an input's identity changes with its size and its time", async () => {
  const root = await volume()
  const input = { kind: 'file' as const, path: path.join(root, 'reels', 'one.avi') }
  const before = await identityOf(input)
  expect(await identityOf(input)).toBe(before)
  await utimes(input.path, new Date(1e12), new Date(1e12))
  const touched = await identityOf(input)
  expect(touched).not.toBe(before)
  await writeFile(input.path, 'longer')
  expect(await identityOf(input)).not.toBe(touched)
})

test('the checksum is SHA-256 (FIPS 180-4, message "abc")', async () => {
  const file = path.join(scratch, 'abc')
  await writeFile(file, 'abc')
  expect(await sha256OfFile(file)).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad')
  expect(createHash('sha256').update('abc').digest('hex')).toBe(await sha256OfFile(file))
})

test('space is told, and what is wrong with a directory', async () => {
  const space = await spaceOf(await volume(), true)
  expect(space.problem).toBeNull()
  // Two volumes on one disk are told to be that; the system's own file system is another one.
  expect((await spaceOf(await volume(), true)).disk).toBe(space.disk)
  expect((await spaceOf('/proc', false)).disk).not.toBe(space.disk)
  expect(space.freeBytes!).toBeLessThanOrEqual(space.totalBytes!)
  expect(await spaceOf(path.join(scratch, 'unplugged'), false)).toEqual({
    disk: null,
    freeBytes: null,
    totalBytes: null,
    problem: 'The directory is not there. Is its disk connected?',
  })
})

describe('a volume with its marker', () => {
  test('is known by it: the empty directory that its disk was mounted on is not the volume', async () => {
    const root = await volume()
    await markVolume(registered(root))
    const marked = registered(root, new Date())
    expect(await workDirectory(marked)).toBe(path.join(root, '.hematine', 'a1b2'))
    expect((await spaceOfVolume(marked, true)).problem).toBeNull()
    // The disk goes, and the directory that it was mounted on is left.
    await rename(root, `${root}-elsewhere`)
    await mkdir(root)
    await expect(workDirectory(marked)).rejects.toThrow(
      /is not the volume Films: its marker is missing. Its disk is probably not mounted/,
    )
    expect(await spaceOfVolume(marked, true)).toMatchObject({
      freeBytes: null,
      problem: expect.stringContaining('not mounted') as string,
    })
    expect(await readdir(root)).toEqual([])
    await rm(root, { recursive: true })
    await rename(`${root}-elsewhere`, root)
    expect(await workDirectory(marked)).toContain('a1b2')
  })

  test("takes along what lay in the work directory before there were markers, and leaves another installation's alone", async () => {
    const root = await volume()
    const around = path.join(root, '.hematine')
    await mkdir(path.join(around, 'trials'), { recursive: true })
    await mkdir(path.join(around, 'c3d4'))
    await writeFile(path.join(around, 'job-4-1.mkv'), 'begun')
    await writeFile(path.join(around, 'c3d4', 'job-4-1.mkv'), "another's")
    await markVolume(registered(root))
    expect((await readdir(around)).sort()).toEqual(['a1b2', 'c3d4'])
    expect((await readdir(path.join(around, 'a1b2'))).sort()).toEqual(['job-4-1.mkv', 'trials'])
    expect(await readFile(path.join(around, 'c3d4', 'job-4-1.mkv'), 'utf8')).toBe("another's")
  })
})

test('a source volume that is empty is probably not mounted, and the sentence says so', async () => {
  const root = path.join(scratch, 'empty')
  await mkdir(root)
  await expect(resolveInside(root, 'reels/one.avi')).rejects.toThrow('is empty: its disk is probably not mounted')
})

test('a pipe is not opened: who reads it would wait for good', async () => {
  const root = await volume()
  execFileSync('mkfifo', [path.join(root, 'pipe.avi')])
  await expect(identityOf({ kind: 'file', path: path.join(root, 'pipe.avi') })).rejects.toThrow(
    '"pipe.avi" is not a regular file',
  )
})

test('a sequence is another one when a gap is filled, when its rate changes, and when a frame is replaced', async () => {
  const root = await volume()
  const frame = (number: number) => path.join(root, `f-000${number}.png`)
  for (const number of [1, 2, 4]) await writeFile(frame(number), 'x')
  const input = {
    kind: 'sequence' as const,
    directory: root,
    sequence: { prefix: 'f-', suffix: '.png', padding: 4, first: 1, last: 4, missing: [{ from: 3, to: 3 }] },
    frameRate: { num: 25, den: 1 },
  }
  const before = await identityOf(input)
  expect(await identityOf(input)).toBe(before)
  expect(await identityOf({ ...input, frameRate: { num: 24, den: 1 } })).not.toBe(before)
  await writeFile(frame(3), 'late')
  const filled = await identityOf(input)
  expect(filled).not.toBe(before)
  await writeFile(frame(2), 'longer')
  expect(await identityOf(input)).not.toBe(filled)
})

test('each file of a sequence that has answered is told of while its identity is asked for', async () => {
  const root = await volume()
  for (const number of [1, 2, 3]) await writeFile(path.join(root, `f-${number}.png`), 'x')
  let heard = 0
  const sequence = { prefix: 'f-', suffix: '.png', padding: 1, first: 1, last: 3, missing: [] }
  await identityOf({ kind: 'sequence', directory: root, sequence, frameRate: { num: 25, den: 1 } }, () => heard++)
  expect(heard).toBe(3)
})

describe('a disk that does not answer', () => {
  test('is asked once, told of in a sentence, and asked again when it has answered', async () => {
    let answer = (_: string) => undefined as void
    const asked = answering(
      '/mnt/away',
      () =>
        new Promise<string>(resolve => {
          answer = resolve
        }),
      20,
    )
    await expect(asked).rejects.toThrow('/mnt/away lies on does not answer')
    let count = 0
    await expect(answering('/mnt/away', async () => count++)).rejects.toThrow('does not answer')
    expect(count).toBe(0)
    // Other volumes are not touched by it.
    expect(await answering('/mnt/here', async () => 'here')).toBe('here')
    answer('late')
    await new Promise(resolve => setTimeout(resolve, 1))
    expect(await answering('/mnt/away', async () => 'back')).toBe('back')
  })

  test('is not one that is slow: an answer that comes in parts may take as long as it takes', async () => {
    vi.useFakeTimers()
    try {
      const inParts = (parts: number) =>
        answering(
          '/mnt/slow',
          async heard => {
            for (let part = 0; part < parts; part++) {
              await new Promise(resolve => setTimeout(resolve, 15_000))
              heard()
            }
            return 'all'
          },
          20_000,
        )
      const answer = inParts(10)
      await vi.advanceTimersByTimeAsync(150_000)
      expect(await answer).toBe('all')
      // What was heard before does not help a disk that falls silent then.
      const silent = answering('/mnt/slow', heard => (heard(), new Promise(() => undefined)), 20_000)
      const told = expect(silent).rejects.toThrow('/mnt/slow lies on does not answer')
      await vi.advanceTimersByTimeAsync(20_000)
      await told
    } finally {
      vi.useRealTimers()
    }
  })
})
