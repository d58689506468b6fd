import { createHash } from 'node:crypto'
import { mkdir, readFile, symlink, utimes, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { describe, expect, test } from 'vitest'
import { exists, identityOf, listDirectory, placeFile, resolveInside, sha256OfFile, spaceOf, VolumeProblem, workDirectory } from '../src/volume-files.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
let count = 0
async function volume(): Promise<string> {
  const root = path.join(scratch, `volume-${++count}`)
  await mkdir(path.join(root, 'reels'), { recursive: true })
  await writeFile(path.join(root, 'reels', 'one.avi'), 'one')
  return root
}

describe('paths in a volume', () => {
  test('inside resolve to their real place', async () => {
    const root = await volume()
    expect(await resolveInside(root, 'reels/one.avi')).toBe(path.join(root, 'reels', 'one.avi'))
    expect(await resolveInside(root, '')).toBe(root)
  })

  test.each(['..', '../secret', 'reels/../../secret', 'reels/..', '/etc/passwd', 'reels//one.avi', './reels', 'reels/\0', 'reels/./one.avi'])('%j is refused', async relative => {
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
    for (const name of ['a "b".avi', 'line\nbreak.mov', '.hidden', 'r-1.png', 'r-2.png']) await writeFile(path.join(root, name), name)
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
    const temporary = path.join(await workDirectory(root), 'job-1')
    await writeFile(temporary, 'whole')
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(true)
    expect(await readFile(path.join(root, 'out.mp4'), 'utf8')).toBe('whole')
    expect(await exists(temporary)).toBe(false)
  })

  test('never replaces what is there', async () => {
    const root = await volume()
    const temporary = path.join(await workDirectory(root), 'job-1')
    await writeFile(temporary, 'new')
    await writeFile(path.join(root, 'out.mp4'), 'old')
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(false)
    expect(await readFile(path.join(root, 'out.mp4'), 'utf8')).toBe('old')
    expect(await readFile(temporary, 'utf8')).toBe('new')
  })

  test('is finished by a repetition when it broke off half-way', async () => {
    const root = await volume()
    const temporary = path.join(await workDirectory(root), 'job-1')
    await writeFile(temporary, 'whole')
    const { link } = await import('node:fs/promises')
    await link(temporary, path.join(root, 'out.mp4'))
    expect(await placeFile(temporary, path.join(root, 'out.mp4'))).toBe(true)
    expect(await exists(temporary)).toBe(false)
  })
})

test('an input\'s identity changes with its size and its time', async () => {
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
  expect(space.freeBytes!).toBeLessThanOrEqual(space.totalBytes!)
  expect(await spaceOf(path.join(scratch, 'unplugged'), false)).toEqual({ freeBytes: null, totalBytes: null, problem: 'The directory is not there. Is its disk connected?' })
})
