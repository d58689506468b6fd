import { mkdir, symlink } from 'node:fs/promises'
import path from 'node:path'
import { beforeAll, describe, expect, test } from 'vitest'
import { parseRange } from '../server/utils/byte-range.ts'
import { lotOf } from '../server/utils/lot-choice.ts'
import { safeDirectory, safeName } from '../server/utils/safe-name.ts'
import { answersTo } from '../server/utils/names.ts'
import { keepApart, listRoots, resolveUnderRoots } from '../server/utils/volume-roots.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

describe('ranges of bytes (RFC 9110, 14.1.2) of a file of 1000', () => {
  test.each([
    ['bytes=0-499', { start: 0, end: 499 }],
    ['bytes=500-', { start: 500, end: 999 }],
    ['bytes=-500', { start: 500, end: 999 }],
    ['bytes=-5000', { start: 0, end: 999 }],
    ['bytes=900-5000', { start: 900, end: 999 }],
    ['bytes=1000-', 'outside'],
    ['bytes=-0', 'outside'],
    ['bytes=5-4', null],
    ['bytes=0-1,5-6', null],
    ['lines=1-2', null],
    ['bytes=-', null],
    [undefined, null],
  ])('%s', (header, range) => {
    expect(parseRange(header, 1000)).toEqual(range)
  })
})

describe('names of uploads', () => {
  test.each([
    ['tape 12.avi', 'tape 12.avi'],
    ['../../etc/passwd', 'passwd'],
    ['C:\\reels\\one.mov', 'one.mov'],
    ['.profile', '_profile'],
    ['two\nlines.avi', 'two_lines.avi'],
    ['Åse "quoted" – 灯台.mp4', 'Åse "quoted" – 灯台.mp4'],
    ['..', '_'],
    ['', 'upload'],
    [null, 'upload'],
  ])('%j becomes %j', (given, name) => {
    expect(safeName(given)).toBe(name)
  })

  test('leave room for a counter in 255 bytes', () => {
    expect(new TextEncoder().encode(safeName('灯'.repeat(200))).length).toBeLessThanOrEqual(240)
  })
})

describe('places for volumes', () => {
  const scratch = scratchDirectory()
  const root = path.join(scratch, 'root')
  beforeAll(async () => {
    for (const directory of ['root/reels/old', 'root/.secret', 'elsewhere', 'root-beside'])
      await mkdir(path.join(scratch, directory), { recursive: true })
    await symlink(path.join(scratch, 'elsewhere'), path.join(root, 'way-out'))
  })

  test('are the directories below a root', async () => {
    expect(await resolveUnderRoots([root], path.join(root, 'reels', 'old'))).toBe(path.join(root, 'reels', 'old'))
    expect(await listRoots([root], path.join(root, 'reels'))).toEqual({
      path: path.join(root, 'reels'),
      parent: root,
      directories: [{ name: 'old', path: path.join(root, 'reels', 'old') }],
    })
  })

  test.each(['/etc', 'root-beside', 'elsewhere', 'root/way-out', 'root/.secret', 'root/../elsewhere'])(
    '%s is refused',
    async target => {
      await expect(resolveUnderRoots([root], target.startsWith('/') ? target : `${scratch}/${target}`)).rejects.toThrow(
        'HEMATINE_VOLUME_ROOTS',
      )
    },
  )

  test('relative paths and missing directories are named as such', async () => {
    await expect(resolveUnderRoots([root], 'reels')).rejects.toThrow('absolute path')
    await expect(resolveUnderRoots([root], path.join(root, 'nowhere'))).rejects.toThrow('There is no directory')
  })

  test('keep apart from what Hematine itself keeps: its data may hold volumes, and no volume may hold it', async () => {
    const own = path.join(root, 'reels')
    await expect(keepApart(own, root)).rejects.toThrow('its own database')
    await expect(keepApart(own, own)).rejects.toThrow('its own database')
    await expect(keepApart(own, path.join(own, 'old'))).rejects.toThrow('its own database')
    await keepApart(own, path.join(own, 'volumes', 'sources'))
    await keepApart(own, path.join(root, 'reels-2'))
    await keepApart(undefined, root)
  })

  test('roots that do not exist are left out', async () => {
    expect((await listRoots([root, '/does/not/exist'], null)).directories.map(entry => entry.path)).toEqual([root])
  })
})

describe('names that the server answers to', () => {
  test.each([
    ['http://127.0.0.1:4180', true],
    ['http://localhost:9', true],
    ['http://[::1]:4180', true],
    ['http://farm.example', true],
    ['http://farm.example:4180', true],
    ['https://farm.example', false],
    ['https://tls.example', true],
    ['http://tls.example', false],
    ['http://evil.example:4180', false],
    ['http://127.0.0.1.evil.example', false],
    ['https://127.0.0.1', false],
    ['null', false],
    ['', false],
  ])('%s: %s', (origin, is) => {
    process.env.HEMATINE_NAMES = 'farm.example,https://tls.example'
    expect(answersTo(origin)).toBe(is)
  })
})

describe('folders that uploads come from', () => {
  test.each([
    ['', ''],
    [null, ''],
    ['box 1/inner', 'box 1/inner'],
    ['../../etc', '_/_/etc'],
    ['/absolute//twice/', 'absolute/twice'],
    ['.hidden/x', '_hidden/x'],
    ['a\nb/c', 'a_b/c'],
    [Array.from({ length: 40 }, () => 'd').join('/'), Array.from({ length: 12 }, () => 'd').join('/')],
  ])('%j', (given, safe) => {
    expect(safeDirectory(given)).toBe(safe)
  })
})

test('the lot of a request is a number, none, or any', () => {
  expect(lotOf({ orderId: 1, lotId: 4 })).toEqual({ orderId: 1, lotId: 4 })
  expect(lotOf({ orderId: 1, lotId: 'none' as const })).toEqual({ orderId: 1, lotId: null })
  expect('lotId' in lotOf({ orderId: 1, lotId: undefined })).toBe(false)
})
