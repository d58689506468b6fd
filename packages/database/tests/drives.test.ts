import { beforeEach, describe, expect, test } from 'vitest'
import {
  addDrive,
  beginCopy,
  changeDrive,
  endCopy,
  endTasks,
  keepCopied,
  listCopies,
  listDrives,
  listSources,
  readCopy,
  reserveCopyPath,
  retireWorker,
  stopCopy,
  takeTask,
  unreadableOf,
} from '../src/index.ts'
import { makeOrder, makeWorker, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let orderId: number
let volumeId: number
let driveId: number

beforeEach(async () => {
  await db.fresh()
  const made = await makeOrder(db, [])
  orderId = made.order.id
  volumeId = made.source.id
  driveId = await addDrive(db.em(), { name: 'Stand-in drive', shelf: '/shelf', speed: 4 })
})

const load = (disc: string | null) => changeDrive(db.em(), driveId, { disc })
const begin = () => beginCopy(db.em(), db.queue, { orderId, driveId, volumeId })

describe('a drive', () => {
  test('begins empty, takes a disc and its settings, and is ejected', async () => {
    expect(await listDrives(db.em())).toMatchObject([{ name: 'Stand-in drive', speed: 4, badSectors: [] }])
    await expect(begin()).rejects.toThrow('Stand-in drive is empty. Load a disc first.')
    await load('a.iso')
    await changeDrive(db.em(), driveId, { speed: 8, badSectors: [{ from: 3, to: 9 }] })
    expect((await listDrives(db.em()))[0]).toMatchObject({ disc: 'a.iso', speed: 8, badSectors: [{ from: 3, to: 9 }] })
    await load(null)
    expect((await listDrives(db.em()))[0]!.disc).toBe(null)
    await expect(changeDrive(db.em(), 99, { disc: null })).rejects.toThrow('There is no drive 99')
  })

  test('keeps the disc that is being read, and reads one at a time', async () => {
    await load('a.iso')
    const copy = await begin()
    await expect(load('b.iso')).rejects.toThrow('a.iso is being read. Stop that first, or wait until it is through.')
    await expect(load(null)).rejects.toThrow('is being read')
    await expect(begin()).rejects.toThrow('a.iso is being read already.')
    await stopCopy(db.em(), copy.id)
    await load('b.iso')
    expect((await begin()).disc).toBe('b.iso')
  })
})

describe('reading a disc in', () => {
  test('keeps how far it is, ends with its titles as sources, and remembers what was unreadable', async () => {
    await load('a.iso')
    const worker = await makeWorker(db)
    const { id } = await begin()
    const task = await takeTask(db.em(), db.queue, 'copy', worker.id)
    expect(task!.payload).toEqual({ copyId: id })
    expect((await readCopy(db.em(), id))!.drive.getEntity()).toMatchObject({ shelf: '/shelf' })
    expect(
      await keepCopied(db.em(), id, { sectorsDone: 100, sectorsTotal: 400, unreadable: [{ from: 7, to: 8 }] }),
    ).toBe(true)
    expect(await listCopies(db.em(), { orderId })).toMatchObject([
      { state: 'reading', sectorsDone: 100, sectorsTotal: 400, unreadable: [{ from: 7, to: 8 }], path: null },
    ])
    expect(await reserveCopyPath(db.em(), id, 'a.iso')).toBe('a.iso')
    // Not known before the image is there.
    expect(await unreadableOf(db.em(), volumeId, 'a.iso')).toEqual([])
    await endCopy(db.em(), db.queue, id, {
      path: 'a.iso',
      arrivals: [{ kind: 'title', volumeId, disc: { path: 'a.iso', title: 1, angle: 1 } }],
      reason: null,
    })
    await endTasks(db.em(), db.queue, [task!])
    expect(await listCopies(db.em(), { orderId })).toMatchObject([
      { state: 'done', path: 'a.iso', brought: 1, reason: null },
    ])
    expect(await unreadableOf(db.em(), volumeId, 'a.iso')).toEqual([{ from: 7, to: 8 }])
    expect(await listSources(db.em(), { orderId })).toMatchObject([
      { name: 'a.iso title 1', kind: 'title', disc: { path: 'a.iso', title: 1, angle: 1 }, state: 'reading' },
    ])
    expect(await readCopy(db.em(), id)).toBe(null)
  })

  test('a stop is heard by whoever reads; a failure says why', async () => {
    await load('a.iso')
    const stopped = await begin()
    expect((await stopCopy(db.em(), stopped.id)).state).toBe('stopped')
    expect(await keepCopied(db.em(), stopped.id, { sectorsDone: 1, sectorsTotal: 2, unreadable: [] })).toBe(false)
    const failed = await begin()
    await endCopy(db.em(), db.queue, failed.id, { reason: 'The disk is full.' })
    expect((await listCopies(db.em(), { ids: [failed.id] }))[0]).toMatchObject({
      state: 'failed',
      reason: 'The disk is full.',
    })
  })

  test('of a lost worker is taken up by the next', async () => {
    await load('a.iso')
    const [lost, next] = [await makeWorker(db), await makeWorker(db)]
    const { id } = await begin()
    await takeTask(db.em(), db.queue, 'copy', lost.id)
    expect(await takeTask(db.em(), db.queue, 'copy', next.id)).toBe(null)
    await retireWorker(db.em(), db.queue, lost.id, 'lost')
    expect((await takeTask(db.em(), db.queue, 'copy', next.id))!.payload).toEqual({ copyId: id })
  })
})
